import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { since } from './when';

describe('how long ago', () => {
  beforeEach(() => void vi.useFakeTimers({ now: new Date('2026-11-24T10:30:00Z') }));
  afterEach(() => void vi.useRealTimers());

  it('is told as of the day that is shown', () => {
    expect(since('2026-11-22T06:00:00Z', '2026-11-23')).toBe('42 h');
  });
  it('is told by the clock today', () => {
    expect(since('2026-11-24T08:30:00Z', '2026-11-24')).toBe('2 h');
  });
});
