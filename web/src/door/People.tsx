/** Who may come in: the first person, and all others, settled by a planner with their own password. */

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, call, unwrap, type Schemas } from '../api/client';
import { useDoor, useVisitor, type Visitor } from '../api/visitor';
import { Labelled } from '../parts/Labelled';
import { PasswordField } from '../parts/PasswordField';
import { Wrong } from '../parts/Wrong';
import { useAct } from '../parts/useAct';

type Role = Schemas['PersonView']['role'];
const ROLES: [Role, string][] = [
  ['planner', 'planner: all'],
  ['hands', 'hands: ticks, Log, drills'],
  ['reader', 'reader: papers and proof'],
];
const PEOPLE = ['people'] as const;
const RULE = ['door rule'] as const;
const SECOND: [Schemas['DoorRule']['second_for'], string][] = [
  ['nobody', 'nobody: codes and passkeys are offered'],
  ['planners', 'planners: a code, or a passkey instead'],
  ['everybody', 'everybody: a code, or a passkey instead'],
];

/** What lets somebody in. */
function shown(person: Schemas['PersonView']): string {
  const keys = person.passkeys > 0 ? `, ${person.passkeys} ${person.passkeys === 1 ? 'passkey' : 'passkeys'}` : '';
  const theirs = person.given ? ', has yet to choose a password of their own' : '';
  return `${person.second ? 'password and codes' : 'password alone'}${keys}${theirs}`;
}

export function FirstPerson() {
  const who = useVisitor();
  const door = useDoor();
  const { act, wrong, fields, busy } = useAct();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  return (
    <form
      aria-label="The first person"
      className="mt-3 flex max-w-[420px] flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void act(
          async () => await door.enter((await call('POST', '/api/people/first', { name, password })) as Visitor),
        );
      }}
    >
      <p>
        Nobody has to sign in here yet: whoever sits at this machine plans, and nobody else comes in. Make the first
        person, a planner, before others are let in with <code className="figure">kavrel serve --lan</code>.
      </p>
      <Labelled
        label="Name"
        autoComplete="username"
        required
        wrong={fields.name}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <PasswordField fresh wrong={fields.password} value={password} onValue={setPassword} />
      <Wrong>{wrong}</Wrong>
      <button className="act self-start font-semibold" disabled={busy || !who.first}>
        make the first planner
      </button>
      <p className="text-quiet">From then on everybody signs in, at this machine, too.</p>
    </form>
  );
}

export function People() {
  const who = useVisitor();
  const client = useQueryClient();
  const { act, wrong, fields, busy } = useAct();
  const { data } = useQuery({
    queryKey: PEOPLE,
    staleTime: 0,
    queryFn: async () => unwrap(await api.GET('/api/people')).people,
  });
  const rule = useQuery({
    queryKey: RULE,
    staleTime: 0,
    queryFn: async () => unwrap(await api.GET('/api/people/rule')),
  });
  const [own, setOwn] = useState('');
  const [name, setName] = useState('');
  const [role, setRole] = useState<Role>('reader');
  const [password, setPassword] = useState('');
  const [leaving, setLeaving] = useState('');
  const done = async () => {
    await client.invalidateQueries({ queryKey: PEOPLE });
    await client.invalidateQueries({ queryKey: RULE });
    await client.invalidateQueries({ queryKey: ['door'] });
  };
  const add = () =>
    act(async () => {
      await call('POST', '/api/people', { name, role, password, own_password: own });
      setName('');
      setPassword('');
      await done();
    });
  return (
    <section className="mt-6" aria-label="Who may come in">
      <h2 className="border-b border-ink">Who may come in</h2>
      <div className="my-2 max-w-[390px]">
        <PasswordField
          label="Your own password"
          hint="asked for again before anything changes below, or somebody is let in"
          value={own}
          onValue={setOwn}
        />
      </div>
      <ul>
        {data?.map((p) => (
          <li key={p.name} className="flex flex-wrap items-baseline gap-x-3 border-b border-hair py-1">
            <b className="min-w-[110px]">{p.name}</b>
            <span className="flex-1 text-quiet">{shown(p)}</span>
            <select
              className="entry !w-auto"
              aria-label={`role of ${p.name}`}
              value={p.role}
              onChange={(e) =>
                void act(async () => {
                  await call('PATCH', `/api/people/${encodeURIComponent(p.name)}`, {
                    role: e.target.value,
                    own_password: own,
                  });
                  await done();
                })
              }
            >
              {ROLES.map(([id, means]) => (
                <option key={id} value={id}>
                  {means}
                </option>
              ))}
            </select>
            {(p.second || p.passkeys > 0) && (
              <button
                className="act"
                aria-label={`lost telephone of ${p.name}`}
                onClick={() =>
                  void act(async () => {
                    await call('PATCH', `/api/people/${encodeURIComponent(p.name)}`, {
                      codes: false,
                      passkeys: false,
                      own_password: own,
                    });
                    await done();
                  })
                }
              >
                lost telephone
              </button>
            )}
            {p.name !== who.name &&
              (leaving === p.name ? (
                <button
                  className="act text-danger"
                  onClick={() =>
                    void act(async () => {
                      await call('POST', `/api/people/${encodeURIComponent(p.name)}/end`, { own_password: own });
                      setLeaving('');
                      await done();
                    })
                  }
                >
                  really: {p.name} may not come in any more
                </button>
              ) : (
                <button className="act" aria-label={`let in no more: ${p.name}`} onClick={() => setLeaving(p.name)}>
                  let in no more
                </button>
              ))}
          </li>
        ))}
      </ul>
      <label className="mt-2 flex flex-wrap items-baseline gap-x-3">
        <span className="text-quiet">More than a password is asked of</span>
        <select
          className="entry !w-auto"
          value={rule.data?.second_for ?? 'nobody'}
          onChange={(e) =>
            void act(async () => {
              await call('PUT', '/api/people/rule', { second_for: e.target.value, own_password: own });
              await done();
            })
          }
        >
          {SECOND.map(([id, means]) => (
            <option key={id} value={id}>
              {means}
            </option>
          ))}
        </select>
      </label>
      <form
        aria-label="Let somebody in"
        className="mt-3 grid gap-x-4 gap-y-2 sm:grid-cols-2"
        onSubmit={(e) => {
          e.preventDefault();
          void add();
        }}
      >
        <Labelled
          label="Name of whoever comes"
          autoComplete="off"
          required
          wrong={fields.name}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <label className="min-w-0">
          <span className="text-quiet">Role</span>
          <select className="entry" value={role} onChange={(e) => setRole(e.target.value as Role)}>
            {ROLES.map(([id, means]) => (
              <option key={id} value={id}>
                {means}
              </option>
            ))}
          </select>
        </label>
        <PasswordField
          label="Their first password"
          fresh
          hint="they change it themselves, here"
          wrong={fields.password}
          value={password}
          onValue={setPassword}
        />
        <div className="sm:col-span-2">
          <Wrong>{wrong}</Wrong>
        </div>
        <button className="act justify-self-start font-semibold" disabled={busy}>
          let in
        </button>
      </form>
    </section>
  );
}
