/** How far something is, from 0 to 1. */
export function ProgressBar({
  label,
  done,
  className = "w-full",
}: {
  readonly label: string;
  readonly done: number;
  readonly className?: string;
}) {
  return (
    <progress
      aria-label={label}
      max={100}
      value={Math.round(done * 100)}
      className={`h-2 appearance-none [&::-webkit-progress-bar]:bg-rule [&::-webkit-progress-value]:bg-ink ${className}`}
    />
  );
}
