/** What was refused, said at once to those who listen, too. */
export function Wrong({ children }: { children: string }) {
  if (!children) return null;
  return (
    <p role="alert" className="text-danger">
      {children}
    </p>
  );
}
