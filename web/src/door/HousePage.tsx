/** The house: who one is here, where one is signed in, who may come in, and the book at the door. */

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, unwrap } from '../api/client';
import { readQueue } from '../api/queue';
import { useDoor, useVisitor } from '../api/visitor';
import { useAct } from '../parts/useAct';
import { Wrong } from '../parts/Wrong';
import { FirstPerson, People } from './People';
import { Own } from './Own';
import { Sessions } from './Sessions';

export function HousePage() {
  const who = useVisitor();
  const door = useDoor();
  const { act, wrong } = useAct();
  const shut = who.owes || who.given;
  const [lost, setLost] = useState<number | null>(null);
  return (
    <main className="mx-auto max-w-[860px] p-2 sm:p-4">
      <div className="border border-ink bg-paper px-4 py-4 sm:px-6">
        <div className="flex flex-wrap items-baseline gap-3">
          <h1 className="flex-1 text-[20px]">The house</h1>
          {!shut && (
            <Link className="act" to="/">
              back to the plan
            </Link>
          )}
          {who.signed_in && (
            <button
              className="act"
              onClick={() =>
                void act(async () => {
                  const waits = lost === null ? (await readQueue()).length : 0;
                  if (waits) setLost(waits);
                  else await door.leave();
                })
              }
            >
              {lost ? 'sign out all the same' : 'sign out'}
            </button>
          )}
        </div>
        <Wrong>{wrong}</Wrong>
        {lost !== null && (
          <p role="alert" className="text-danger">
            {lost === 1 ? 'One change waits' : `${lost} changes wait`} on this device and {lost === 1 ? 'was' : 'were'}{' '}
            not taken yet: signing out lets go of {lost === 1 ? 'it' : 'them'}. On the plan’s page you can look at{' '}
            {lost === 1 ? 'it' : 'them'} first.
          </p>
        )}
        {who.signed_in ? (
          <>
            <p className="text-quiet">
              You are <b className="text-ink">{who.name}</b>, {MEANS[who.role]}.
            </p>
            {who.given && (
              <p role="alert" className="border border-danger bg-blush px-2 py-1 text-danger">
                Somebody else chose your password, and knows it. Choose your own now; the plan is open to you then.
              </p>
            )}
            {who.owes && !who.given && (
              <p role="alert" className="border border-danger bg-blush px-2 py-1 text-danger">
                More than a password is asked of you here. Set up codes{who.passkeys ? ' or make a passkey' : ''} now;
                the plan is open to you then.
              </p>
            )}
            <Own />
            {!shut && (
              <>
                <Sessions />
                {who.role === 'planner' && <People />}
                {who.role === 'planner' && <Book />}
              </>
            )}
          </>
        ) : (
          <FirstPerson />
        )}
      </div>
    </main>
  );
}

const MEANS = {
  planner: 'planner: you may change everything',
  hands: 'hands: you read everything, tick run sheets, write the Log, play drills and send in what machines say',
  reader: 'reader: you read papers and proof; where keys are kept is not shown to you',
} as const;

function Book() {
  const { data } = useQuery({
    queryKey: ['door'],
    staleTime: 0,
    queryFn: async () => unwrap(await api.GET('/api/people/door')).notes,
  });
  return (
    <section className="mt-6" aria-label="The book at the door">
      <h2 className="border-b border-ink">The book at the door</h2>
      <div className="max-h-[320px] overflow-y-auto" role="group" aria-label="Lines of the book" tabIndex={0}>
        <ul>
          {data?.map((n, i) => (
            <li key={i} className="grid grid-cols-[132px_minmax(0,1fr)] gap-x-3 border-b border-hair py-1">
              <time className="figure text-quiet">
                {new Date(n.at * 1000).toISOString().slice(0, 16).replace('T', ' ')}
              </time>
              <span className="wrap-anywhere">
                <b>{n.who}</b> {n.what} <span className="text-quiet">{n.address}</span>
              </span>
            </li>
          ))}
        </ul>
      </div>
      <p className="text-quiet">Times are UTC. What changes a plan is named in its revisions.</p>
    </section>
  );
}
