import { render, screen } from '@testing-library/react';
import { describe, expect, it } from 'vitest';
import { odds } from '../text/format';
import { DashLegend, Plot } from './Plot';

const line = (...ys: number[]) => ys.map((y, x) => ({ x, y }));

describe('Plot', () => {
  it('names itself and draws each line, told apart by its dashes', () => {
    const { container } = render(
      <Plot
        title="Money over 2 years"
        width={400}
        height={200}
        xLabels={[{ x: 0, text: 'now' }]}
        show={(y) => `${y} EUR`}
        lines={[
          { name: 'one', points: line(0, 50, 100) },
          { name: 'two', points: line(10, 10, 90) },
        ]}
      />,
    );
    expect(screen.getByRole('img', { name: 'Money over 2 years' })).toBeTruthy();
    const paths = [...container.querySelectorAll('path')].filter((p) => p.querySelector('title'));
    expect(paths.map((p) => p.querySelector('title')?.textContent)).toEqual(['one', 'two']);
    expect(new Set(paths.map((p) => p.getAttribute('stroke-dasharray'))).size).toBe(2);
    expect(container.innerHTML).not.toContain('NaN');
  });

  it('puts odds on a logarithmic axis and draws none as the lowest', () => {
    const { container } = render(
      <Plot
        title="Odds"
        width={400}
        height={200}
        log
        xLabels={[]}
        show={odds}
        lines={[{ name: 'chain', points: line(0, 1e-6, 1e-4, 1e-2) }]}
        band={[
          { x: 0, low: 0, high: 1e-5 },
          { x: 3, low: 1e-3, high: 1e-1 },
        ]}
      />,
    );
    const ticks = [...container.querySelectorAll('text')].map((t) => t.textContent);
    expect(ticks).toContain('1 in 100');
    expect(ticks).toContain('1 in 10 000');
    expect(container.innerHTML).not.toMatch(/NaN|Infinity/);
  });

  it('keeps the words of a mark inside the drawing', () => {
    const { container } = render(
      <Plot
        title="Fill"
        width={400}
        height={200}
        xLabels={[]}
        show={String}
        lines={[{ name: 'room', points: line(1, 2, 3), steps: true }]}
        marks={[
          { x: 0, y: 1, text: 'at the left edge' },
          { x: 2, y: 3, text: 'at the right edge', alarm: true },
        ]}
      />,
    );
    const [left, right] = ['at the left edge', 'at the right edge'].map((words) =>
      [...container.querySelectorAll('text')].find((t) => t.textContent === words),
    );
    expect(left?.getAttribute('text-anchor')).toBe('start');
    expect(right?.getAttribute('text-anchor')).toBe('end');
  });
});

describe('DashLegend', () => {
  it('shows which dash is which line', () => {
    render(<DashLegend lines={[{ name: 'buy all now' }, { name: 'pairs of mirrors' }]} />);
    expect(screen.getAllByRole('listitem').map((i) => i.textContent)).toEqual(['buy all now', 'pairs of mirrors']);
  });
});
