/** The working of a figure that the server explains only when somebody doubts it. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Working } from '../api/client';
import { usePlan } from '../api/plan';
import { WorkingSlip } from './WorkingSlip';

export function AskedWorking({
  about,
  ask,
  onClose,
}: {
  /** Names the figure among all that are asked for. */
  about: string[];
  ask: (plan: string) => Promise<Working>;
  onClose: () => void;
}) {
  const { meta } = usePlan();
  const asked = useQuery({
    queryKey: ['working', meta.id, meta.revision, ...about],
    placeholderData: keepPreviousData,
    queryFn: () => ask(meta.id),
  });
  return <WorkingSlip working={asked.data ?? null} onClose={onClose} />;
}
