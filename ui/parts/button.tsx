import type { ButtonHTMLAttributes, ReactNode } from "react";

type Props = ButtonHTMLAttributes<HTMLButtonElement> & {
  readonly kind?: "main" | "plain" | "quiet";
  readonly children: ReactNode;
};

const KINDS = {
  main: "bg-spot text-on-spot hover:brightness-110 border-spot",
  plain: "bg-lift text-ink border-ink/60 hover:border-ink",
  quiet: "border-transparent text-soft hover:text-ink hover:bg-shade",
};

export function Button({ kind = "plain", className = "", children, ...rest }: Props) {
  return (
    <button
      type="button"
      className={`inline-flex min-h-7 items-center justify-center gap-1.5 rounded-sm border px-2.5 text-[13px] leading-tight font-medium disabled:opacity-45 ${KINDS[kind]} ${className}`}
      {...rest}
    >
      {children}
    </button>
  );
}
