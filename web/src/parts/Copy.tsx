/** Copies a text, and says so. Browsers give the clipboard to secure pages only: elsewhere the text is selected. */

import { useState } from 'react';

/** The text stands in a `code` or `pre` inside the nearest element with `data-copies`. */
export function Copy({ text, name }: { text: string; name: string }) {
  const [did, setDid] = useState('copy');
  const copy = async (button: HTMLElement) => {
    try {
      await navigator.clipboard.writeText(text);
      setDid('copied');
    } catch {
      const shown = button.closest('[data-copies]')?.querySelector('code, pre');
      if (shown) window.getSelection()?.selectAllChildren(shown);
      setDid('selected');
    }
  };
  return (
    <button
      className="act min-w-[68px]"
      aria-label={did === 'copy' ? name : `${name}: ${did}`}
      onClick={(e) => void copy(e.currentTarget)}
      onBlur={() => setDid('copy')}
    >
      {did}
    </button>
  );
}
