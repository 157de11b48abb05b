import { cleanup, render, screen } from '@testing-library/react';
import { afterEach, describe, expect, it } from 'vitest';
import { DiskDrawing, HatchLegend, type DrawnDisk } from './DiskDrawing';

const disk = (id: string, bytes: number, parts: DrawnDisk['parts'], group = 0): DrawnDisk => ({
  id,
  label: id,
  below: 'bay',
  bytes,
  group,
  parts,
});
const heights = (container: HTMLElement, name: string) =>
  [...container.querySelectorAll('rect')]
    .filter((r) => r.querySelector('title')?.textContent.startsWith(`${name}:`))
    .map((r) => Number(r.getAttribute('height')));

afterEach(cleanup);

describe('disks drawn to scale', () => {
  it('cuts a disk into parts whose heights add up to its own', () => {
    const { container } = render(
      <DiskDrawing
        title="two disks"
        caption="any one may die"
        disks={[
          disk('A', 8e12, { data: 4e12, redundancy: 3e12, reserve: 1e12 }),
          disk('B', 4e12, { data: 2e12, stranded: 2e12 }),
        ]}
      />,
    );
    const sum = (all: number[]) => all.reduce((a, b) => a + b, 0);
    const [a, b] = [heights(container, 'A'), heights(container, 'B')];
    expect(a).toHaveLength(3);
    expect(sum(b) / sum(a)).toBeCloseTo(0.5);
    expect((a[0] ?? 0) / sum(a)).toBeCloseTo(0.5);
    expect(screen.getByRole('img').getAttribute('aria-label')).toBe('two disks');
  });
  it('draws what a system has of the disk that it boots from, and names it only there', () => {
    const boots = disk('A', 8e12, { system: 2e12, data: 6e12 });
    const { container, rerender } = render(<DiskDrawing title="one" caption="" disks={[boots]} />);
    const [system, data] = heights(container, 'A');
    expect((data ?? 0) / (system ?? 1)).toBeCloseTo(3);
    rerender(<HatchLegend disks={[boots]} />);
    expect(screen.getByText(/the system that boots from it/).textContent).toContain('2.00 TB');
    rerender(<HatchLegend disks={[disk('B', 8e12, { data: 8e12 })]} />);
    expect(screen.queryByText(/the system/)).toBeNull();
  });
  it('draws nothing for a part without bytes, and an empty drawing without disks', () => {
    const { container } = render(
      <DiskDrawing title="t" caption="c" disks={[disk('A', 1e12, { data: 1e12, stranded: 0 })]} />,
    );
    expect(heights(container, 'A')).toHaveLength(1);
    cleanup();
    const empty = render(<DiskDrawing title="t" caption="c" disks={[]} />);
    expect(empty.container.querySelectorAll('rect')).toHaveLength(0);
  });
  it('keeps groups apart and every bar inside the drawing', () => {
    const many = Array.from({ length: 24 }, (_, n) => disk(`D${n}`, 4e12, { data: 4e12 }, Math.floor(n / 6)));
    const { container } = render(<DiskDrawing title="t" caption="any one of each group may die" disks={many} />);
    const width = Number(container.querySelector('svg')?.getAttribute('width'));
    const bars = [...container.querySelectorAll('rect')].filter((r) => r.querySelector('title'));
    const lefts = bars.map((r) => Number(r.getAttribute('x')));
    const bar = Number(bars[0]?.getAttribute('width'));
    expect(Math.max(...lefts) + bar).toBeLessThan(width);
    const steps = lefts.slice(1).map((x, n) => x - (lefts[n] ?? 0));
    expect(Math.min(...steps)).toBeGreaterThan(bar);
    expect(new Set(steps.map((s) => s.toFixed(1))).size).toBe(2);
  });
  it('adds up what each hatch stands for', () => {
    render(
      <HatchLegend disks={[disk('A', 8e12, { data: 4e12 }), disk('B', 8e12, { data: 1e12, redundancy: 2e12 })]} />,
    );
    expect(screen.getByText('5.00 TB')).toBeDefined();
    expect(screen.getByText('2.00 TB')).toBeDefined();
  });
});
