import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { switchSingleKeys } from './single-keys';
import { useGrid } from './useGrid';
import { useKeys } from './useKeys';

afterEach(cleanup);

function Keyed({ actions }: { actions: Record<string, () => void> }) {
  useKeys(actions);
  return (
    <>
      <input aria-label="field" />
      <div role="dialog">
        <button>in a slip</button>
      </div>
      <button>outside</button>
    </>
  );
}

describe('single keys', () => {
  it('act outside of fields and slips only', () => {
    const undo = vi.fn();
    render(<Keyed actions={{ u: undo }} />);
    fireEvent.keyDown(screen.getByText('outside'), { key: 'u' });
    expect(undo).toHaveBeenCalledTimes(1);
    fireEvent.keyDown(screen.getByLabelText('field'), { key: 'u' });
    fireEvent.keyDown(screen.getByText('in a slip'), { key: 'u' });
    fireEvent.keyDown(screen.getByText('outside'), { key: 'u', ctrlKey: true });
    fireEvent.keyDown(screen.getByText('outside'), { key: 'x' });
    expect(undo).toHaveBeenCalledTimes(1);
  });
  it('do nothing when they are switched off, and Escape still closes', () => {
    const [undo, close] = [vi.fn(), vi.fn()];
    switchSingleKeys(false);
    render(<Keyed actions={{ u: undo, Escape: close }} />);
    fireEvent.keyDown(screen.getByText('outside'), { key: 'u' });
    fireEvent.keyDown(screen.getByText('outside'), { key: 'Escape' });
    expect(undo).not.toHaveBeenCalled();
    expect(close).toHaveBeenCalledTimes(1);
    switchSingleKeys(true);
  });
  it('tell the shifted key from the plain one', () => {
    const [undo, redo] = [vi.fn(), vi.fn()];
    render(<Keyed actions={{ u: undo, U: redo }} />);
    fireEvent.keyDown(screen.getByText('outside'), { key: 'U', shiftKey: true });
    expect(undo).not.toHaveBeenCalled();
    expect(redo).toHaveBeenCalledTimes(1);
  });
});

function Grid() {
  const grid = useGrid<HTMLTableElement>();
  return (
    <table {...grid}>
      <tbody>
        {[0, 1].map((row) => (
          <tr key={row}>
            {[0, 1, 2].map((column) => (
              <td key={column}>
                <button data-cell={`${row},${column}`}>{`${row}${column}`}</button>
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

describe('arrow keys in a grid', () => {
  it.each([
    ['ArrowRight', '01'],
    ['ArrowDown', '10'],
    ['ArrowLeft', '00'],
    ['ArrowUp', '00'],
  ])('%s leads from the first cell to %s', (key, to) => {
    render(<Grid />);
    const first = screen.getByText('00');
    first.focus();
    fireEvent.keyDown(first, { key });
    expect(document.activeElement?.textContent).toBe(to);
  });

  it('is one stop of the Tab key, which comes back to the cell that had the focus last', () => {
    render(<Grid />);
    const stops = () => screen.getAllByRole('button').filter((b) => b.tabIndex === 0);
    expect(stops().map((b) => b.textContent)).toEqual(['00']);
    screen.getByText('00').focus();
    fireEvent.keyDown(screen.getByText('00'), { key: 'ArrowDown' });
    expect(stops().map((b) => b.textContent)).toEqual(['10']);
  });
});
