import { Labelled } from './Labelled';

/** A password: as it is, or a fresh one, so that whoever keeps passwords knows which. */
export function PasswordField({
  label = 'Password',
  fresh = false,
  hint,
  wrong,
  value,
  onValue,
}: {
  label?: string;
  fresh?: boolean;
  hint?: string;
  wrong?: string | undefined;
  value: string;
  onValue: (value: string) => void;
}) {
  const says = hint ?? (fresh ? '12 characters or more; four words in a row are easy to keep' : undefined);
  return (
    <Labelled
      label={label}
      type="password"
      autoComplete={fresh ? 'new-password' : 'current-password'}
      required
      {...(says ? { hint: says } : {})}
      wrong={wrong}
      value={value}
      onChange={(e) => onValue(e.target.value)}
    />
  );
}
