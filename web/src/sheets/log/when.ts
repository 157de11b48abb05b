/** Moments as the Log has them. */

import { span } from '../../text/format';

/** Date and time of day, UTC as the machines say it. */
export const day = (iso: string): string => `${iso.slice(0, 10)} ${iso.slice(11, 16)} UTC`;

/** How long ago, by this machine's clock. */
export const since = (iso: string): string => span(Math.max(0, (Date.now() - Date.parse(iso)) / 1000));
