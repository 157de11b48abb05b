/** The API's types, generated from its OpenAPI document, and one way to call it. */

import createClient from 'openapi-fetch';
import type { components, paths } from './generated/schema';
import { at, ROOT } from './root';
import { heard } from './since';

export type Schemas = components['schemas'];
export type PlanState = Schemas['PlanState'];
export type Plan = Schemas['Plan'];
export type Evaluation = Schemas['Evaluation'];
export type Working = Schemas['Working'];
export type Caution = Schemas['Caution'];
export type Layout = Schemas['Layout'];
export type Problem = Schemas['Problem'];
export type Question = paths['/api/plans/{plan_id}/questions']['post']['requestBody']['content']['application/json'];
export type Asked = Schemas['QuestionView'];
export type Answer = NonNullable<Asked['answer']>;

/** The plan's collections and what they hold. */
export interface Items {
  sites: Schemas['Site'];
  links: Schemas['Link'];
  hosts: Schemas['Host'];
  supplies: Schemas['Supply'];
  offers: Schemas['Offer'];
  disks: Schemas['Disk'];
  pools: Schemas['Pool'];
  datasets: Schemas['Dataset'];
  holdings: Schemas['Holding'];
  ticks: Schemas['Tick'];
  networks: Schemas['Network'];
  shares: Schemas['Share'];
  accounts: Schemas['Account'];
  groups: Schemas['Group'];
  grants: Schemas['Grant'];
  quotas: Schemas['Quota'];
  exports: Schemas['Export'];
  apps: Schemas['App'];
  mounts: Schemas['Mount'];
  default_logins: Schemas['DefaultLogin'];
  openings: Schemas['Opening'];
  caps: Schemas['Cap'];
  buckets: Schemas['Bucket'];
  jobs: Schemas['Job'];
  accepted: Schemas['AcceptedRisk'];
  log: Schemas['LogEntry'];
  assumptions: Schemas['AssumptionValue'];
}
export type Collection = keyof Items;

export const api = createClient<paths>({ baseUrl: ROOT });
api.use({
  onResponse: ({ response }) => {
    heard(response.headers.get('kavrel-kept-since'));
  },
});

/** A refusal by the server, with the fields concerned. */
export class Refused extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail || problem.title);
  }

  /** Whether somebody else changed the same thing meanwhile. */
  get conflict(): boolean {
    return this.problem.status === 412;
  }
}

const UNREACHABLE: Problem = {
  type: 'about:blank',
  title: 'no answer',
  status: 0,
  detail: 'Kavrel does not answer: is it still running? Nothing you typed is lost.',
  errors: [],
  head: null,
};

/** One request that answers with JSON or throws Refused. */
export async function call(
  method: string,
  path: string,
  body?: unknown,
  revision?: number,
  more: Record<string, string> = {},
): Promise<unknown> {
  const headers: Record<string, string> = { ...more };
  if (body !== undefined) headers['Content-Type'] = 'application/json';
  if (revision !== undefined) headers['If-Match'] = `"r${revision}"`;
  let answer: Response;
  try {
    answer = await fetch(at(path), {
      method,
      headers,
      body: typeof body === 'string' ? body : body === undefined ? null : JSON.stringify(body),
    });
  } catch {
    throw new Refused(UNREACHABLE);
  }
  heard(answer.headers.get('kavrel-kept-since'));
  if (answer.status === 204) return null;
  const found: unknown = await answer.json().catch(() => UNREACHABLE);
  if (!answer.ok) throw new Refused(found as Problem);
  return found;
}

/** The data of an openapi-fetch answer, or its problem thrown. */
export function unwrap<T>(answer: { data?: T; error?: unknown }): T {
  if (answer.data !== undefined) return answer.data;
  throw new Refused((answer.error as Problem | undefined) ?? UNREACHABLE);
}
