/** The seven sheets, in the order of the work. */

import { lazy, type ComponentType } from 'react';
import { BenchSheet } from './bench/BenchSheet';

export interface Sheet {
  id: string;
  title: string;
  component: ComponentType;
}

export const SHEETS: Sheet[] = [
  { id: 'bench', title: 'Bench', component: BenchSheet },
  {
    id: 'pools',
    title: 'Pools',
    component: lazy(() => import('./pools/PoolsSheet').then((m) => ({ default: m.PoolsSheet }))),
  },
  {
    id: 'shares',
    title: 'Shares',
    component: lazy(() => import('./shares/SharesSheet').then((m) => ({ default: m.SharesSheet }))),
  },
  {
    id: 'copies',
    title: 'Copies',
    component: lazy(() => import('./copies/CopiesSheet').then((m) => ({ default: m.CopiesSheet }))),
  },
  {
    id: 'week',
    title: 'Week',
    component: lazy(() => import('./week/WeekSheet').then((m) => ({ default: m.WeekSheet }))),
  },
  {
    id: 'proof',
    title: 'Proof',
    component: lazy(() => import('./proof/ProofSheet').then((m) => ({ default: m.ProofSheet }))),
  },
  {
    id: 'log',
    title: 'Log',
    component: lazy(() => import('./log/LogSheet').then((m) => ({ default: m.LogSheet }))),
  },
];
