/** What an empty view says: what belongs there, and the first step. */
export function Empty({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <div className="max-w-[640px]">
      <h2>{title}</h2>
      <p>{children}</p>
    </div>
  );
}
