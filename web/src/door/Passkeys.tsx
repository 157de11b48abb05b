/** Passkeys of one's own: what makes them is the device, what is kept here is their public half. */

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, call, unwrap } from '../api/client';
import { madeHere } from '../api/passkey';
import { useVisitor, VISITOR } from '../api/visitor';
import { Labelled } from '../parts/Labelled';
import { PasswordField } from '../parts/PasswordField';
import { useAct } from '../parts/useAct';
import { Wrong } from '../parts/Wrong';

const PASSKEYS = ['passkeys'] as const;

export function Passkeys() {
  const who = useVisitor();
  const client = useQueryClient();
  const { act, wrong, fields, busy } = useAct();
  const [password, setPassword] = useState('');
  const [name, setName] = useState('this device');
  const { data } = useQuery({
    queryKey: PASSKEYS,
    staleTime: 0,
    enabled: !who.owes && !who.given,
    queryFn: async () => unwrap(await api.GET('/api/visitor/passkeys')).passkeys,
  });
  const make = () =>
    act(async () => {
      await madeHere(name, password);
      setPassword('');
      await client.invalidateQueries({ queryKey: VISITOR });
      await client.invalidateQueries({ queryKey: PASSKEYS });
    });
  return (
    <form
      aria-label="Passkeys"
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
    >
      <h2 className="border-b border-ink">Passkeys</h2>
      <p className="text-quiet">
        A passkey lets you in by your finger, face or PIN on a device of yours, without the password (WebAuthn). It is
        bound to the name in the address.
      </p>
      {data && data.length > 0 && (
        <ul>
          {data.map((k) => (
            <li key={k.id} className="flex flex-wrap items-baseline gap-x-3 border-b border-hair py-1">
              <b className="min-w-0 flex-1 wrap-anywhere">{k.name}</b>
              <span className="text-quiet">
                at {k.site}
                {k.here ? '' : ' (not this address)'},{' '}
                {k.used_at ? `used ${new Date(k.used_at * 1000).toISOString().slice(0, 10)}` : 'never used'}
              </span>
              <button
                type="button"
                className="act"
                aria-label={`take away the passkey ${k.name}`}
                onClick={() =>
                  void act(async () => {
                    await call('DELETE', `/api/visitor/passkeys/${encodeURIComponent(k.id)}`);
                    await client.invalidateQueries({ queryKey: PASSKEYS });
                  })
                }
              >
                take away
              </button>
            </li>
          ))}
        </ul>
      )}
      {who.passkeys ? (
        <>
          <Labelled
            label="What it is called"
            required
            maxLength={60}
            wrong={fields.name}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <PasswordField value={password} onValue={setPassword} />
          <Wrong>{wrong}</Wrong>
          <button className="act self-start" disabled={busy}>
            make a passkey
          </button>
        </>
      ) : (
        <p>
          None can be made at this address: browsers want a name in it instead of numbers, and a protected page, as{' '}
          <code className="figure whitespace-nowrap">kavrel serve --lan --name NAME</code> serves it.
        </p>
      )}
    </form>
  );
}
