/** The working of one figure of a job, asked of the server when somebody doubts it. */

import { api, unwrap } from '../../api/client';
import { AskedWorking } from '../../parts/AskedWorking';

export type Figure = 'points' | 'held' | 'ages';
export type Asked = { job: string; figure: Figure };

export function JobFigure({ asked, onClose }: { asked: Asked; onClose: () => void }) {
  return (
    <AskedWorking
      about={['job', asked.job, asked.figure]}
      ask={async (plan_id) =>
        unwrap(await api.GET('/api/plans/{plan_id}/copies/working', { params: { path: { plan_id }, query: asked } }))
      }
      onClose={onClose}
    />
  );
}
