import { describe, expect, it } from 'vitest';
import { since } from './when';

describe('how long ago', () => {
  it('is told as of the day that is shown', () => {
    expect(since('2026-11-23T06:00:00Z', '2026-11-24')).toBe('42 h');
  });
  it('is told by the clock today', () => {
    const now = new Date();
    expect(since(new Date(now.getTime() - 7_200_000).toISOString(), now.toISOString().slice(0, 10))).toBe('2 h');
  });
});
