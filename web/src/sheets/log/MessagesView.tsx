/** By which ways somebody is told what is new in the lab, and what went by them. */

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, call, unwrap, type Schemas } from '../../api/client';
import { mayNotify } from '../../api/notices';
import { usePlan } from '../../api/plan';
import { useVisitor } from '../../api/visitor';
import { Labelled } from '../../parts/Labelled';
import { PasswordField } from '../../parts/PasswordField';
import { Slip } from '../../parts/Slip';
import { useAct } from '../../parts/useAct';

type Way = Schemas['WayView'];
type Topic = Way['topics'][number];

const TOPICS: [Topic, string][] = [
  ['failure', 'a run failed'],
  ['silence', 'nothing arrived: a copy or a box is silent'],
  ['due', 'something is due, or overdue'],
  ['wear', 'a disk wears out'],
  ['drift', 'a box is not as planned'],
  ['risk', 'a signed risk came back'],
  ['backup', 'Kavrel’s own database was not copied'],
  ['heartbeat', 'a word each week that Kavrel is awake'],
];
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const KINDS: [Way['kind'], string][] = [
  ['mail', 'mail'],
  ['webhook', 'webhook'],
  ['page', 'notice of this page'],
];

export function MessagesView() {
  const who = useVisitor();
  return who.role === 'planner' ? <Ways /> : <p className="text-quiet">Messages are settled by a planner.</p>;
}

function Ways() {
  const { meta } = usePlan();
  const client = useQueryClient();
  const path = { plan_id: meta.id };
  const ways = useQuery({
    queryKey: ['ways', meta.id],
    staleTime: 0,
    queryFn: async () => unwrap(await api.GET('/api/plans/{plan_id}/ways', { params: { path } })),
  });
  const messages = useQuery({
    queryKey: ['messages', meta.id],
    staleTime: 0,
    queryFn: async () => unwrap(await api.GET('/api/plans/{plan_id}/messages', { params: { path } })).messages,
  });
  const [open, setOpen] = useState<{ id: string; way: Way | null } | null>(null);
  if (!ways.data) return <p data-waiting>Looking…</p>;
  const again = () => client.invalidateQueries({ queryKey: ['ways', meta.id] });
  const fresh = () => {
    const taken = new Set(ways.data.ways.map((w) => w.id));
    for (let n = 1; ; n++) if (!taken.has(`way${n}`)) return `way${n}`;
  };
  return (
    <div className="grid gap-x-8 gap-y-4 lg:grid-cols-2">
      <section aria-label="Ways">
        <div className="flex items-baseline border-b border-ink">
          <h2>Told by</h2>
          <button className="act mb-0.5 ml-auto" onClick={() => setOpen({ id: fresh(), way: null })}>
            new way
          </button>
        </div>
        {ways.data.ways.length === 0 && (
          <p className="max-w-[560px] text-quiet">
            Nobody is told anything yet: what fails or falls silent is seen here only by whoever looks. A way is one
            switch and one place. What is urgent comes at once, all else in one message a day, nothing in quiet hours.
          </p>
        )}
        <ul>
          {ways.data.ways.map((w) => (
            <WayRow key={w.id} way={w} onOpen={() => setOpen({ id: w.id, way: w })} onChanged={again} />
          ))}
        </ul>
        <h2 className="mt-4 border-b border-ink">Kavrel’s own database</h2>
        <p>
          {ways.data.night
            ? `Last night: ${ways.data.night}.`
            : 'Not copied yet: a copy is made each night, while it is served.'}
        </p>
      </section>
      <section aria-label="Outbox">
        <h2 className="border-b border-ink">Went, waits, could not go</h2>
        {messages.data?.length === 0 && <p className="text-quiet">No message yet.</p>}
        <ul>
          {messages.data?.map((m) => (
            <li key={m.number} className="border-b border-hair py-1">
              <details>
                <summary className="grid cursor-pointer grid-cols-[auto_minmax(0,1fr)_auto] gap-x-3">
                  <span className="figure whitespace-nowrap">{clock(m.made_at)}</span>
                  <span className="truncate">{m.subject}</span>
                  <span className={m.state === 'sent' ? 'text-quiet' : 'font-semibold text-danger'}>{m.state}</span>
                </summary>
                {m.error && <p className="text-danger">{m.error}</p>}
                {m.state === 'waiting' && m.tries > 0 && (
                  <p>
                    tried {m.tries} {m.tries === 1 ? 'time' : 'times'}, again at {clock(m.next_at)}
                  </p>
                )}
                {m.state === 'unsure' && <p>The server stopped while it was being sent: it may not have arrived.</p>}
                <pre className="figure text-[12px] wrap-anywhere whitespace-pre-wrap">{m.body}</pre>
              </details>
            </li>
          ))}
        </ul>
      </section>
      {open && (
        <WayForm
          key={open.id}
          id={open.id}
          way={open.way}
          onClose={() => {
            setOpen(null);
            void again();
          }}
        />
      )}
    </div>
  );
}

const clock = (at: number) => new Date(at * 1000).toLocaleString('sv').slice(0, 16);

function WayRow({ way, onOpen, onChanged }: { way: Way; onOpen: () => void; onChanged: () => Promise<void> }) {
  const { meta } = usePlan();
  const { act, wrong, busy } = useAct();
  const [said, setSaid] = useState('');
  const address = `/api/plans/${meta.id}/ways/${way.id}`;
  return (
    <li className="border-b border-hair py-1">
      <div className="flex flex-wrap items-center gap-x-3">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-(--accent)"
            checked={way.works}
            aria-label={`${way.name} is on`}
            onChange={(e) =>
              void act(async () => {
                await call('PUT', address, { ...sendable(way), works: e.target.checked });
                await onChanged();
              })
            }
          />
          {way.works ? 'on' : 'off'}
        </label>
        <button className="pick min-w-0 flex-1 font-semibold wrap-anywhere" onClick={onOpen}>
          {way.name}
        </button>
        <button
          className="act"
          disabled={busy}
          aria-label={`try ${way.name}`}
          onClick={() =>
            void act(async () => {
              const { taken, why } = (await call('POST', `${address}/test`)) as Schemas['Tried'];
              setSaid(taken ? 'taken by the other side: look whether it arrived' : `not taken: ${why}`);
            })
          }
        >
          try
        </button>
      </div>
      <p className="text-quiet wrap-anywhere">
        {KINDS.find(([k]) => k === way.kind)?.[1]}
        {way.place && ` to ${way.place}`}; {way.topics.length} of {TOPICS.length} matters;{' '}
        {way.quiet_from === way.quiet_until ? 'no quiet hours' : `quiet from ${way.quiet_from} to ${way.quiet_until}`},
        the day’s message at {way.daily_at}
      </p>
      {(wrong || said) && (
        <p role="status" className={said.startsWith('taken') ? '' : 'text-danger'}>
          {wrong || said}
        </p>
      )}
    </li>
  );
}

/** Each browser is asked for itself whether it may show notices. */
function ThisBrowser() {
  const [may, setMay] = useState(mayNotify);
  return (
    <div>
      <p className="text-quiet">
        A notice by the browser, while the page is open or installed on the telephone’s screen: it asks every minute.
        Nothing is sent through anybody else’s servers, so a page that is closed shows nothing.
      </p>
      {may === 'default' && (
        <button
          type="button"
          className="act"
          onClick={() => void Notification.requestPermission().then((answer) => setMay(answer))}
        >
          let this browser show them
        </button>
      )}
      {may === 'granted' && <p>This browser shows them.</p>}
      {(may === 'denied' || may === 'never') && (
        <p className="text-danger">This browser may not, or cannot, show them.</p>
      )}
    </div>
  );
}

type Sendable = Omit<Way, 'id' | 'has_secret'>;

/** What of a way is sent: its secret is not known here. */
const sendable = (way: Way): Sendable =>
  Object.fromEntries(Object.entries(way).filter(([name]) => name !== 'id' && name !== 'has_secret')) as Sendable;

const EMPTY: Sendable = {
  kind: 'mail',
  name: 'Post',
  works: true,
  place: '',
  server: '',
  port: 0,
  security: 'tls',
  login: '',
  sender: '',
  quiet_from: '22:00',
  quiet_until: '07:00',
  daily_at: '08:00',
  heartbeat_day: 0,
  topics: TOPICS.map(([t]) => t),
};

function WayForm({ id, way, onClose }: { id: string; way: Way | null; onClose: () => void }) {
  const { meta } = usePlan();
  const { act, wrong, fields, busy } = useAct();
  const [given, setGiven] = useState(way ? sendable(way) : EMPTY);
  const [secret, setSecret] = useState<string | null>(null);
  const [own, setOwn] = useState('');
  const who = useVisitor();
  // News begin to go to another place: a session that was left open is not enough for that.
  const moved = !way || way.place !== given.place || way.server !== given.server;
  const asks = who.signed_in && moved && given.kind !== 'page';
  const set = (part: Partial<typeof given>) => setGiven((g) => ({ ...g, ...part }));
  const address = `/api/plans/${meta.id}/ways/${id}`;
  const save = () =>
    act(async () => {
      await call('PUT', address, {
        ...given,
        ...(secret === null ? {} : { secret }),
        ...(asks ? { own_password: own } : {}),
      });
      onClose();
    });
  const field = (
    name: 'name' | 'place' | 'server' | 'login' | 'sender' | 'quiet_from' | 'quiet_until' | 'daily_at',
    label: string,
    hint?: string,
  ) => (
    <Labelled
      label={label}
      {...(hint ? { hint } : {})}
      wrong={fields[name]}
      value={given[name]}
      onChange={(e) => set({ [name]: e.target.value })}
    />
  );
  return (
    <Slip title={way ? way.name : 'New way'} onClose={onClose}>
      <form
        className="flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          void save();
        }}
      >
        {wrong && (
          <p role="alert" className="border border-danger bg-blush px-2 py-1 text-danger">
            {wrong}
          </p>
        )}
        <label>
          <span className="text-quiet">Way</span>
          <select className="entry" value={given.kind} onChange={(e) => set({ kind: e.target.value as Way['kind'] })}>
            {KINDS.map(([k, title]) => (
              <option key={k} value={k}>
                {title}
              </option>
            ))}
          </select>
        </label>
        {field('name', 'Name')}
        {given.kind === 'mail' && (
          <>
            {field('place', 'To', 'you@home.example')}
            {field('sender', 'From', 'lab@home.example')}
            {field('server', 'Mail server')}
            <label>
              <span className="text-quiet">The way to it</span>
              <select
                className="entry"
                value={given.security}
                onChange={(e) => set({ security: e.target.value as Way['security'], port: 0 })}
              >
                <option value="tls">TLS from the first byte on, port 465</option>
                <option value="starttls">STARTTLS, port 587</option>
                <option value="none">in the clear, port 25: on this machine or LAN only</option>
              </select>
              {fields.security && <span className="text-[12px] text-danger">{fields.security}</span>}
            </label>
            <Labelled
              label="Port"
              inputMode="numeric"
              hint="0: the usual one"
              wrong={fields.port}
              value={given.port}
              onChange={(e) => set({ port: Number(e.target.value.replace(/\D/g, '')) })}
            />
            {field('login', 'Login', 'empty: none')}
          </>
        )}
        {given.kind === 'webhook' &&
          field('place', 'Address', 'https://…; called by POST with JSON, and never followed elsewhere')}
        {given.kind === 'page' && <ThisBrowser />}
        {given.kind !== 'page' && (
          <Labelled
            label={given.kind === 'mail' ? 'Password' : 'Secret that signs each call'}
            type="password"
            autoComplete="off"
            hint={
              way?.has_secret && secret === null
                ? 'there is one; typed anew it is replaced'
                : 'kept in the database, never shown again'
            }
            value={secret ?? ''}
            onChange={(e) => setSecret(e.target.value)}
          />
        )}
        <fieldset>
          <legend className="text-quiet">Tells that</legend>
          {TOPICS.map(([topic, means]) => (
            <label key={topic} className="flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                className="size-4 accent-(--accent)"
                checked={given.topics.includes(topic)}
                onChange={(e) =>
                  set({
                    topics: e.target.checked ? [...given.topics, topic] : given.topics.filter((t) => t !== topic),
                  })
                }
              />
              {means}
            </label>
          ))}
        </fieldset>
        <div className="grid grid-cols-3 gap-3">
          {field('quiet_from', 'Quiet from')}
          {field('quiet_until', 'until')}
          {field('daily_at', 'Day’s message')}
        </div>
        <label>
          <span className="text-quiet">The weekly word comes on</span>
          <select
            className="entry"
            value={given.heartbeat_day ?? ''}
            onChange={(e) => set({ heartbeat_day: e.target.value === '' ? null : Number(e.target.value) })}
          >
            <option value="">never</option>
            {DAYS.map((d, n) => (
              <option key={d} value={n}>
                {d}
              </option>
            ))}
          </select>
        </label>
        {asks && (
          <PasswordField
            label="Your own password"
            hint="asked for again where news go to another place"
            value={own}
            onValue={setOwn}
          />
        )}
        <div className="mt-2 flex gap-3">
          <button className="act font-semibold" disabled={busy}>
            save
          </button>
          {way && (
            <button
              type="button"
              className="act text-danger"
              onClick={() =>
                void act(async () => {
                  await call('DELETE', address);
                  onClose();
                })
              }
            >
              take out
            </button>
          )}
        </div>
      </form>
    </Slip>
  );
}
