/** The views of a sheet as tabs, each with its key. */

import { useKeys } from './useKeys';

export interface ViewTab<V extends string> {
  id: V;
  title: string;
  key: string;
}

export function Views<V extends string>({
  views,
  view,
  onView,
}: {
  views: readonly ViewTab<V>[];
  view: V;
  onView: (view: V) => void;
}) {
  useKeys(Object.fromEntries(views.map((v) => [v.key, () => onView(v.id)])));
  return (
    <div className="mb-2 flex flex-wrap gap-x-3" role="tablist" aria-label="Views">
      {views.map((v) => (
        <Tab key={v.id} on={v.id === view} onClick={() => onView(v.id)}>
          {v.title} <span className="unit">{v.key.toUpperCase()}</span>
        </Tab>
      ))}
    </div>
  );
}

export function Tab({ on, onClick, children }: { on: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      role="tab"
      aria-selected={on}
      className={`border-b-2 px-1.5 py-1 ${on ? 'border-ink font-semibold' : 'border-transparent text-quiet'}`}
      onClick={onClick}
    >
      {children}
    </button>
  );
}
