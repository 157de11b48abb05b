/** A button that takes a file of what a machine printed; its text is handed on. */
export function FileButton({ onText }: { onText: (text: string) => void }) {
  return (
    <label className="act cursor-pointer focus-within:outline-2 focus-within:outline-accent">
      a file
      <input
        type="file"
        className="sr-only"
        aria-label="A file that lab-look wrote"
        onChange={(e) => void e.target.files?.[0]?.text().then(onText)}
      />
    </label>
  );
}

/** What a field does with a file that is dropped on it. */
export const droppable = (onText: (text: string) => void) => ({
  onDragOver: (e: React.DragEvent) => e.preventDefault(),
  onDrop: (e: React.DragEvent) => {
    e.preventDefault();
    void e.dataTransfer.files[0]?.text().then(onText);
  },
});
