import type { Items } from '../../api/client';
import { useMay } from '../../api/visitor';
import { binary, text } from '../../text/format';

const FULL_HEIGHT = 84;

/** A disk as a bar whose height is its capacity; drag it, or take it with Space and open it with Enter. */
export function DiskBar({
  disk,
  tallest,
  pool,
  inHand,
  differs,
  onTake,
  onOpen,
}: {
  disk: Items['disks'];
  tallest: number;
  pool: string | undefined;
  inHand: boolean;
  /** It was found otherwise than planned. */
  differs: boolean;
  onTake: () => void;
  onOpen: () => void;
}) {
  const may = useMay();
  const height = Math.max(14, (disk.capacity_bytes / tallest) * FULL_HEIGHT);
  const shown = `${(disk.capacity_bytes / 1e12).toFixed(disk.capacity_bytes < 1e12 ? 2 : 0)} TB`;
  const name = `${disk.label} ${shown}, ${pool ? `in pool ${pool}` : 'in no pool'}${differs ? ', found otherwise than planned' : ''}`;
  return (
    <button
      draggable={may}
      aria-label={name}
      aria-pressed={inHand}
      title={`${name}${disk.serial ? `, serial ${disk.serial}` : ''}`}
      className={`flex w-full flex-col items-center ${inHand ? 'bg-picked outline-2 outline-accent' : 'hover:bg-desk'}`}
      onDragStart={(e) => e.dataTransfer.setData('text/kavrel-disk', disk.id)}
      onClick={onOpen}
      onKeyDown={(e) => {
        if (e.key === ' ' && may) {
          e.preventDefault();
          onTake();
        }
      }}
    >
      <svg width="36" height={height} aria-hidden="true">
        <rect
          x="0.5"
          y="0.5"
          width="35"
          height={height - 1}
          fill={pool ? 'url(#hatch-data)' : 'none'}
          stroke="var(--ink)"
          strokeDasharray={disk.condition === 'refurbished' ? '4 2' : undefined}
        />
        {disk.holds_data && <path d={`M4 ${height - 5} H32`} stroke="var(--danger)" strokeWidth="4" />}
      </svg>
      <span className="max-w-full truncate text-[12px] leading-[17px] font-semibold">
        {disk.label}
        {differs && <span className="text-danger"> ≠</span>}
      </span>{' '}
      <span
        className="figure text-[12px] leading-[17px] whitespace-nowrap text-quiet"
        title={text(binary(disk.capacity_bytes))}
      >
        {shown}
      </span>
    </button>
  );
}
