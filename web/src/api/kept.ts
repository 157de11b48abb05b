/** What a device keeps for where there is no network; `device.ts` lets it go by the cache's name. */

export const STATE_CACHE = 'kavrel-state';

/** The header of an answer that was kept: when it was given. */
export const KEPT_SINCE = 'kavrel-kept-since';

/** Paths whose last answer is kept: who is signed in, plans as they stand, and the papers for the rack. */
export const KEPT =
  /\/api\/(visitor|plans|forms|plans\/[^/]+(\/(restore-sheet|runbook|cards|drills|drills\/[^/]+\/(sheet|carried)|looks))?)$/;
