/** The views of a sheet as tabs, each with its key; arrow keys move between them. */

import { Tab, TabGroup, TabList, TabPanel, TabPanels } from '@headlessui/react';
import type { ReactNode } from 'react';
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
  panels,
  before,
  after,
}: {
  views: readonly ViewTab<V>[];
  view: V;
  onView: (view: V) => void;
  /** What each view shows; only the chosen one is drawn. */
  panels: Record<V, ReactNode>;
  /** What stands in the row of the tabs, on either side. */
  before?: ReactNode;
  after?: ReactNode;
}) {
  useKeys(Object.fromEntries(views.map((v) => [v.key, () => onView(v.id)])));
  const chosen = views.findIndex((v) => v.id === view);
  return (
    <TabGroup selectedIndex={chosen} onChange={(n) => onView(views[n]?.id ?? view)}>
      <div className="mb-2 flex flex-wrap items-center gap-2">
        {before}
        <TabList aria-label="Views" className={`flex flex-wrap gap-x-3 ${before ? 'ml-auto' : ''}`}>
          {views.map((v) => (
            <Tab
              key={v.id}
              className="border-b-2 border-transparent px-1.5 py-1 text-quiet data-selected:border-ink data-selected:font-semibold data-selected:text-ink"
            >
              {v.title} <span className="unit">{v.key.toUpperCase()}</span>
            </Tab>
          ))}
        </TabList>
        {after}
      </div>
      <TabPanels>
        {views.map((v) => (
          <TabPanel key={v.id} tabIndex={-1}>
            {panels[v.id]}
          </TabPanel>
        ))}
      </TabPanels>
    </TabGroup>
  );
}

/** One of several things to look at, such as the pools. */
export function Choice({ on, onClick, children }: { on: boolean; onClick: () => void; children: ReactNode }) {
  return (
    <button
      aria-pressed={on}
      className={`border-b-2 px-1.5 py-1 ${on ? 'border-ink font-semibold' : 'border-transparent text-quiet'}`}
      onClick={onClick}
    >
      {children}
    </button>
  );
}
