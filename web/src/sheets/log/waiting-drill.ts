/** A drill that was played where no server answered: its steps wait on this device until one judges them. */

import { del, get, set } from 'idb-keyval';
import type { Schemas } from '../../api/client';
import { drillsOnDevice, ifKept } from '../../api/device';

export interface WaitingDrill {
  drill: Schemas['DrillView'];
  seed: number;
  steps: Schemas['StepAsked'][];
  said: Record<string, string>;
  on: string;
}

export const waitingDrill = (plan: string): Promise<WaitingDrill | undefined> =>
  ifKept(() => get<WaitingDrill>(plan, drillsOnDevice), undefined);

export const keepDrill = (plan: string, waiting: WaitingDrill): Promise<void> =>
  ifKept(() => set(plan, waiting, drillsOnDevice), undefined);

export const forgetDrill = (plan: string): Promise<void> => ifKept(() => del(plan, drillsOnDevice), undefined);
