import { render, screen } from '@testing-library/react';
import { describe, expect, it } from 'vitest';
import { MoveLanes } from './MoveLanes';

const lanes = [
  { id: 'p', label: 'pool new', below: 'wanted', pool: true },
  { id: 'a', label: 'D1', below: 'letters', pool: false },
  { id: 'b', label: 'D2', below: 'blank', pool: false },
];
const step = (number: number, verb: string, source: string, target: string, touched: string[]) => ({
  key: `${verb}${number}`,
  number,
  verb,
  source,
  target,
  lanes: touched,
  hours: 1,
  alarm: verb === 'wipe',
});

describe('MoveLanes', () => {
  it('draws copies as arrows, wipes as crosses, and the fewest copies under each step', () => {
    const { container } = render(
      <MoveLanes
        title="3 steps over 3 disks and pools"
        lanes={lanes}
        steps={[
          step(1, 'create', '', '', ['b', 'p']),
          step(2, 'copy', 'a', 'p', ['a', 'p']),
          step(3, 'wipe', '', '', ['a']),
        ]}
        counts={[1, 2, 1]}
      />,
    );
    expect(screen.getByRole('img', { name: '3 steps over 3 disks and pools' })).toBeTruthy();
    expect(container.querySelectorAll('path[marker-end]')).toHaveLength(1);
    expect(container.querySelectorAll('path[stroke="var(--danger)"]')).toHaveLength(1);
    const words = [...container.querySelectorAll('text')].map((t) => t.textContent);
    expect(words).toContain('2. copy');
    expect(words.slice(-4, -1)).toEqual(expect.arrayContaining(['1']));
    expect(container.innerHTML).not.toContain('NaN');
  });

  it('leaves out a lane that it does not know rather than drawing it at the top', () => {
    const { container } = render(
      <MoveLanes title="one" lanes={lanes} steps={[step(1, 'add', '', '', ['gone', 'b'])]} counts={[1]} />,
    );
    expect(container.querySelectorAll('rect')).toHaveLength(1);
  });
});
