/** A slip of paper laid over the right edge of the sheet: an editor, a working, a story. */

import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import type { ReactNode } from 'react';

export function Slip({
  title,
  onClose,
  wide = false,
  broad = false,
  whole = false,
  children,
}: {
  title: string;
  onClose: () => void;
  wide?: boolean;
  /** Room for a drawing beside its words. */
  broad?: boolean;
  /** Room for a table. */
  whole?: boolean;
  children: ReactNode;
}) {
  return (
    <Dialog open onClose={onClose} className="relative z-20">
      <DialogBackdrop className="fixed inset-0 bg-ink/15" />
      <div className="fixed inset-y-0 right-0 flex max-w-full">
        <DialogPanel
          className={`flex h-full flex-col border-l border-ink bg-paper text-ink ${whole ? 'w-[1160px]' : broad ? 'w-[880px]' : wide ? 'w-[640px]' : 'w-[420px]'} max-w-[100vw]`}
        >
          <div className="flex items-baseline gap-3 border-b border-ink px-4 py-2">
            <DialogTitle as="h2" className="flex-1 wrap-anywhere">
              {title}
            </DialogTitle>
            <button className="act" onClick={onClose}>
              close <span className="unit">Esc</span>
            </button>
          </div>
          <div className="relative flex-1 overflow-y-auto px-4 py-3" tabIndex={-1}>
            {children}
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
