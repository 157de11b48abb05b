/** Moments as the Log has them. */

import { span } from '../../text/format';

/** Date and time of day, UTC as the machines say it. */
export const day = (iso: string): string => `${iso.slice(0, 10)} ${iso.slice(11, 16)} UTC`;

/** How long ago, by this machine's clock; by the end of the day that is shown where that is an earlier one. */
export function since(iso: string, today: string): string {
  const now = Math.min(Date.now(), Date.parse(today) + DAY_MS);
  return span(Math.max(0, (now - Date.parse(iso)) / 1000));
}

const DAY_MS = 86_400_000;
