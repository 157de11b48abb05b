/** Which boxes send their looks by themselves: each by a token of its own, said once and kept as a hash. */

import { useState } from 'react';
import { useTokens } from '../../api/looks';
import { usePlan } from '../../api/plan';
import { at } from '../../api/root';
import { Copy } from '../../parts/Copy';
import { day } from './when';

export function Senders() {
  const { plan } = usePlan();
  const { data, give, withdraw } = useTokens();
  const [given, setGiven] = useState<{ host: string; token: string } | null>(null);
  const [wrong, setWrong] = useState('');
  const open = plan.hosts.filter((h) => !['router', 'bought_box', 'pc'].includes(h.kind));
  if (!data || !open.length) return null;
  const act = async (what: () => Promise<void>) => {
    setWrong('');
    try {
      await what();
    } catch (error) {
      setWrong((error as Error).message);
    }
  };
  const lines = given
    ? [
        `install -m 600 /dev/stdin /etc/lab-look.token <<'END'\n${given.token}\nEND`,
        `lab-look --send ${window.location.origin}${at('/api/observations')}`,
      ]
    : [];
  return (
    <section aria-label="Boxes that send" className="mt-4">
      <h2 className="border-b border-ink">Sent by the boxes themselves</h2>
      <p className="text-quiet">
        A box sends its look with a token that can do nothing else. It is shown once; a new one takes the place of the
        one before. The address has to be one at which the box reaches this page.
      </p>
      {wrong && (
        <p role="alert" className="text-danger">
          {wrong}
        </p>
      )}
      <ul>
        {open.map((h) => {
          const token = data.find((t) => t.host === h.id && !t.withdrawn_at);
          return (
            <li key={h.id} className="flex flex-wrap items-baseline gap-x-3 border-b border-hair py-1">
              <b>{h.name}</b>
              <span className="flex-1 text-quiet">
                {token
                  ? `token of ${day(token.made_at)}, ${token.used_at ? `used last ${day(token.used_at)}` : 'never used'}`
                  : 'no token'}
              </span>
              <button
                className="act"
                aria-label={`${token ? 'another token' : 'a token'} for ${h.name}`}
                onClick={() => void act(async () => setGiven({ host: h.id, token: await give(h.id) }))}
              >
                {token ? 'another token' : 'a token'}
              </button>
              {token && (
                <button
                  className="act"
                  aria-label={`withdraw the token of ${h.name}`}
                  onClick={() =>
                    void act(async () => {
                      await withdraw(h.id);
                      setGiven(null);
                    })
                  }
                >
                  withdraw
                </button>
              )}
              {given?.host === h.id && (
                <div className="w-full py-1">
                  {lines.map((line, n) => (
                    <div key={line} className="flex items-start gap-2 py-0.5" data-copies>
                      <pre className="figure flex-1 text-[12px] wrap-anywhere whitespace-pre-wrap">{line}</pre>
                      <Copy text={line} name={n ? 'copy the sending' : 'copy the token into its file'} />
                    </div>
                  ))}
                </div>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
