import { describe, expect, it } from 'vitest';
import type { Items } from '../../api/client';
import { diskOf } from './Scan';

const disks = [
  { id: 'd1', label: 'D1', serial: 'LR-4137' },
  { id: 'd2', label: 'D2', serial: '' },
] as Items['disks'][];

describe('the disk of a label', () => {
  it('is found by the code that its label bears, wherever the page was served then', () => {
    expect(diskOf(disks, 'https://lantern.lan:8321/plan/abc/bench?disk=d1')?.label).toBe('D1');
    expect(diskOf(disks, 'http://10.0.0.2/kavrel/plan/abc/bench?disk=d2&x=1')?.label).toBe('D2');
  });
  it('is found by its serial or name, however it is typed', () => {
    expect(diskOf(disks, ' lr-4137 ')?.id).toBe('d1');
    expect(diskOf(disks, 'd2')?.id).toBe('d2');
  });
  it('is none where the plan has none: a disk without a serial is not every disk', () => {
    expect(diskOf(disks, '')).toBeUndefined();
    expect(diskOf(disks, 'LR-41')).toBeUndefined();
    expect(diskOf(disks, 'bench?disk=gone')).toBeUndefined();
  });
});
