/** How something is fetched from a copy: commands and words, for somebody who has never done it. */
export function Fetch({ how }: { how: string[] }) {
  return (
    <ul className="mt-1 text-quiet">
      {how.map((line) => (
        <li key={line} className="wrap-anywhere">
          – {line}
        </li>
      ))}
    </ul>
  );
}
