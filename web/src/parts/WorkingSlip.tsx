import type { Working } from '../api/client';
import { Slip } from './Slip';
import { WorkingTree } from './WorkingTree';

/** The working of a figure, over the right edge; nothing while no figure is asked. */
export function WorkingSlip({ working, onClose }: { working: Working | null; onClose: () => void }) {
  if (!working) return null;
  return (
    <Slip title={`Working: ${working.name}`} onClose={onClose} wide>
      <WorkingTree working={working} />
    </Slip>
  );
}
