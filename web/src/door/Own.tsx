/** What everybody settles for themselves: password, codes, passkeys, the calendar's address. */

import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { call, type Schemas } from '../api/client';
import { at } from '../api/root';
import { useVisitor, VISITOR } from '../api/visitor';
import { Copy } from '../parts/Copy';
import { Labelled } from '../parts/Labelled';
import { PasswordField } from '../parts/PasswordField';
import { Wrong } from '../parts/Wrong';
import { Passkeys } from './Passkeys';
import { useAct } from '../parts/useAct';

export function Own() {
  const who = useVisitor();
  return (
    <div className="mt-4 grid gap-x-8 gap-y-4 md:grid-cols-2">
      {(who.given || !who.owes) && <Password />}
      {!who.given && <Codes />}
      {!who.given && <Passkeys />}
      {!who.given && !who.owes && <CalendarAddress />}
    </div>
  );
}

function Said({ wrong, done }: { wrong: string; done: string }) {
  if (wrong) return <Wrong>{wrong}</Wrong>;
  return done ? <p role="status">{done}</p> : null;
}

function Password() {
  const client = useQueryClient();
  const { act, wrong, fields, busy } = useAct();
  const [old, setOld] = useState('');
  const [fresh, setFresh] = useState('');
  const [done, setDone] = useState('');
  return (
    <form
      aria-label="Password"
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void act(() => call('POST', '/api/visitor/password', { old, new: fresh })).then((went) => {
          setDone(went ? 'Changed; all your other sessions have ended.' : '');
          if (!went) return;
          [setOld, setFresh].forEach((set) => set(''));
          void client.invalidateQueries({ queryKey: VISITOR });
        });
      }}
    >
      <h2 className="border-b border-ink">Password</h2>
      <PasswordField label="As it is" value={old} onValue={setOld} />
      <PasswordField label="As it shall be" fresh wrong={fields.new} value={fresh} onValue={setFresh} />
      <Said wrong={wrong} done={done} />
      <button className="act self-start" disabled={busy}>
        change
      </button>
    </form>
  );
}

function Codes() {
  const who = useVisitor();
  const client = useQueryClient();
  const { act, wrong, fields, busy } = useAct();
  const [password, setPassword] = useState('');
  const [shown, setShown] = useState<Schemas['SecondShown'] | null>(null);
  const [code, setCode] = useState('');
  const settled = async () => {
    setShown(null);
    setPassword('');
    setCode('');
    await client.invalidateQueries({ queryKey: VISITOR });
  };
  const submit = () =>
    act(async () => {
      if (who.second) await call('POST', '/api/visitor/second/end', { password }).then(settled);
      else if (shown) await call('PUT', '/api/visitor/second', { password, secret: shown.secret, code }).then(settled);
      else setShown((await call('POST', '/api/visitor/second', { password })) as Schemas['SecondShown']);
    });
  return (
    <form
      aria-label="Codes"
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void submit();
      }}
    >
      <h2 className="border-b border-ink">Codes</h2>
      <p className="text-quiet">
        {who.second
          ? 'A code of your telephone is asked for beside the password.'
          : 'Beside the password a code can be asked for, which an application on your telephone shows (RFC 6238).'}
      </p>
      {shown && (
        <>
          <img className="size-[200px] self-center bg-white" src={shown.picture} alt="QR code of the secret" />
          <p className="wrap-anywhere">
            or type <code className="figure">{shown.secret}</code>
          </p>
          <Labelled
            label="Code that it shows"
            inputMode="numeric"
            autoComplete="one-time-code"
            pattern="[0-9]{6}"
            required
            wrong={fields.code}
            value={code}
            onChange={(e) => setCode(e.target.value)}
          />
        </>
      )}
      <PasswordField value={password} onValue={setPassword} />
      <Said wrong={wrong} done="" />
      <button className="act self-start" disabled={busy}>
        {who.second ? 'ask for none' : shown ? 'ask for codes from now on' : 'set up'}
      </button>
    </form>
  );
}

function CalendarAddress() {
  const { act, wrong } = useAct();
  const [path, setPath] = useState('');
  const address = path && `${window.location.origin}${at(path)}`;
  return (
    <section aria-label="Calendar" className="flex flex-col gap-2">
      <h2 className="border-b border-ink">Calendar</h2>
      <p className="text-quiet">
        Jobs and what is due, at a secret address for your calendar application. Whoever knows the address reads them; a
        new one ends the one before.
      </p>
      {address && (
        <div data-copies>
          <code className="figure wrap-anywhere">{address}/PLAN.ics</code>{' '}
          <Copy text={`${address}/`} name="copy the address" />
          <p className="text-quiet">PLAN is the part of a plan’s address after /plan/. It is shown this once.</p>
        </div>
      )}
      <Said wrong={wrong} done="" />
      <div className="flex gap-2">
        <button
          className="act"
          onClick={() =>
            void act(async () => setPath(((await call('POST', '/api/visitor/calendar')) as { path: string }).path))
          }
        >
          a new address
        </button>
        <button
          className="act"
          onClick={() => void act(() => call('DELETE', '/api/visitor/calendar')).then(() => setPath(''))}
        >
          withdraw
        </button>
      </div>
    </section>
  );
}
