/** The seven sheets, in the order of the work. */

import { lazy, type ComponentType } from 'react';
import type { ViewTab } from '../parts/Views';
import { BenchSheet } from './bench/BenchSheet';
import { VIEWS as COPIES } from './copies/views';
import { VIEWS as LOG } from './log/views';
import { VIEWS as POOLS } from './pools/views';
import { VIEWS as PROOF } from './proof/views';
import { VIEWS as SHARES } from './shares/views';
import { VIEWS as WEEK } from './week/views';

export interface Sheet {
  id: string;
  title: string;
  component: ComponentType;
  views: readonly ViewTab<string>[];
}

export const SHEETS: Sheet[] = [
  { id: 'bench', title: 'Bench', component: BenchSheet, views: [] },
  {
    id: 'pools',
    views: POOLS,
    title: 'Pools',
    component: lazy(() => import('./pools/PoolsSheet').then((m) => ({ default: m.PoolsSheet }))),
  },
  {
    id: 'shares',
    views: SHARES,
    title: 'Shares',
    component: lazy(() => import('./shares/SharesSheet').then((m) => ({ default: m.SharesSheet }))),
  },
  {
    id: 'copies',
    views: COPIES,
    title: 'Copies',
    component: lazy(() => import('./copies/CopiesSheet').then((m) => ({ default: m.CopiesSheet }))),
  },
  {
    id: 'week',
    views: WEEK,
    title: 'Week',
    component: lazy(() => import('./week/WeekSheet').then((m) => ({ default: m.WeekSheet }))),
  },
  {
    id: 'proof',
    views: PROOF,
    title: 'Proof',
    component: lazy(() => import('./proof/ProofSheet').then((m) => ({ default: m.ProofSheet }))),
  },
  {
    id: 'log',
    views: LOG,
    title: 'Log',
    component: lazy(() => import('./log/LogSheet').then((m) => ({ default: m.LogSheet }))),
  },
];
