/** The page before all others: name and password, and a code where one is asked for. */

import { useState } from 'react';
import { call, Refused } from '../api/client';
import { comeIn } from '../api/passkey';
import { useDoor, useVisitor, type Visitor } from '../api/visitor';
import { Labelled } from '../parts/Labelled';
import { PasswordField } from '../parts/PasswordField';
import { Wrong } from '../parts/Wrong';
import { useAct } from '../parts/useAct';

export function SignInPage() {
  const door = useDoor();
  const visitor = useVisitor();
  const { act, wrong, fields, busy } = useAct();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [code, setCode] = useState<string | null>(null);
  const enter = () =>
    act(async () => {
      try {
        const body = { name, password, ...(code ? { code } : {}) };
        await door.enter((await call('POST', '/api/visitor/in', body)) as Visitor);
      } catch (error) {
        if (error instanceof Refused && error.problem.title === 'code wanted') setCode((c) => c ?? '');
        throw error;
      }
    });
  return (
    <main className="mx-auto flex min-h-screen max-w-[420px] flex-col justify-center p-4">
      <form
        className="flex flex-col gap-3 border border-ink bg-paper px-6 py-5"
        onSubmit={(e) => {
          e.preventDefault();
          void enter();
        }}
      >
        <h1 className="text-[20px]">Kavrel</h1>
        <p className="text-quiet">The drawing set of this lab. Sign in to read it.</p>
        <Labelled
          label="Name"
          autoComplete="username"
          autoCapitalize="none"
          required
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <PasswordField value={password} onValue={setPassword} />
        {code !== null && (
          <Labelled
            label="Code"
            hint="six digits, from your application for codes"
            inputMode="numeric"
            autoComplete="one-time-code"
            pattern="[0-9]{6}"
            autoFocus // eslint-disable-line jsx-a11y/no-autofocus -- it appears because it is asked for
            value={code}
            wrong={fields.code}
            onChange={(e) => setCode(e.target.value.replace(/\D/g, '').slice(0, 6))}
          />
        )}
        <Wrong>{wrong}</Wrong>
        <button className="act min-h-[44px] font-semibold" disabled={busy}>
          sign in
        </button>
        {visitor.passkeys && (
          <button
            type="button"
            className="act min-h-[44px]"
            disabled={busy}
            onClick={() => void act(async () => await door.enter(await comeIn()))}
          >
            come in by a passkey
          </button>
        )}
        <p className="text-quiet">
          Forgotten? At the machine itself: <code className="figure">kavrel account password NAME</code>
        </p>
      </form>
    </main>
  );
}
