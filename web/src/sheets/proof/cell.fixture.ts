/** A cell of the proof for the tests, to be bent as each needs. */

import type { Schemas } from '../../api/client';

export const cell = (more: Partial<Schemas['Cell']> = {}): Schemas['Cell'] => ({
  dataset: 'letters',
  hazard: 'fire',
  fate: 'restored',
  rpo_seconds: 90_000,
  rpo_mean_seconds: 45_000,
  rpo_best_seconds: 600,
  rto_seconds: 300_000,
  copy_job: 'far',
  never_share: 0,
  otherwise_job: null,
  otherwise_rpo_seconds: null,
  why: 'everything at home is gone',
  dies: ['box'],
  copies: [{ job: 'far', place: 'second', usable: true, loses_seconds: 90_000, why: 'its newest point' }],
  steps: [
    { text: 'notice', hours: 12, assumption: 'notice_hours', phase: 'notice' },
    { text: 'replace box and disks', hours: 60, assumption: 'order_box_hours', phase: 'replace' },
    { text: 'copy 1.0 TB on the LAN', hours: 11, assumption: '', phase: 'transfer' },
  ],
  readable: false,
  basis: '0123456789abcdef',
  signed: 'no',
  ...more,
});
