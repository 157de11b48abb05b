/** Passkeys in the browser: made and used by its own dialog; the library is loaded when one is asked for. */

import { call, Refused } from './client';
import type { Visitor } from './visitor';

type Options = { options: Record<string, unknown> };

/** What the browser's own dialog ended with is said as a refusal, so that it stands where refusals stand. */
async function asked<T>(what: () => Promise<T>): Promise<T> {
  try {
    return await what();
  } catch (error) {
    const detail = error instanceof Error ? error.message : String(error);
    throw new Refused({ type: 'about:blank', title: 'no passkey', status: 0, detail, errors: [], head: null });
  }
}

/** Makes a passkey on this device for whoever is signed in. */
export async function madeHere(name: string, password: string): Promise<void> {
  const { options } = (await call('POST', '/api/visitor/passkeys/begin', { password })) as Options;
  const { startRegistration } = await import('@simplewebauthn/browser');
  const credential = await asked(() => startRegistration({ optionsJSON: options as never }));
  await call('POST', '/api/visitor/passkeys', { name, credential });
}

/** Comes in by a passkey of this device. */
export async function comeIn(): Promise<Visitor> {
  const { options } = (await call('POST', '/api/visitor/in/passkey/begin')) as Options;
  const { startAuthentication } = await import('@simplewebauthn/browser');
  const credential = await asked(() => startAuthentication({ optionsJSON: options as never }));
  return (await call('POST', '/api/visitor/in/passkey', { credential })) as Visitor;
}
