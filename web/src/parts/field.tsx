import { type FocusEvent, type InputHTMLAttributes, useId, useState } from "react";
import { usualDigits } from "./money";
import { readNumber } from "./number";

/** A number's bounds. */
export type Bounds = {
  least?: number | undefined;
  most?: number | undefined;
  whole?: boolean | undefined /** An amount's, which has no more decimals. */;
  currency?: string | undefined;
};

/** checked reads a typed number and holds it against its bounds: its value, or why it cannot be used. */
export function checked(
  text: string,
  { least, most, whole, currency }: Bounds = {},
): { value: string; error?: undefined } | { value?: undefined; error: string } {
  const read = readNumber(text);
  if (read.error !== undefined || read.value === "") return read;
  const n = Number(read.value);
  if (whole && !Number.isInteger(n)) return { error: `“${text.trim()}” is not a whole number.` };
  if (currency && (read.value.split(".")[1]?.replace(/0+$/, "").length ?? 0) > usualDigits(currency))
    return { error: `“${text.trim()}” has more decimals than ${currency} has.` };
  if (least !== undefined && n < least) return { error: `It must be ${least} or more.` };
  if (most !== undefined && n > most) return { error: `It must be ${most} or less.` };
  return read;
}

/**
 * Field is the one labelled input, with what is wrong beneath it. A number is read as people write it where they live,
 * and held against its bounds; a compact one has its label for readers only, since words beside it say it.
 */
export function Field({
  label,
  error,
  hint,
  number,
  compact = false,
  className = "",
  ...rest
}: {
  label: string;
  /** Shown instead of what the field itself finds wrong. */
  error?: string | undefined;
  hint?: string;
  number?: Bounds | undefined;
  compact?: boolean;
} & InputHTMLAttributes<HTMLInputElement>) {
  const id = useId();
  const [typing, setTyping] = useState(false);
  const heard = error !== undefined || !typing; // what is wrong is heard once one is done with it, not at each key
  const wrong = error ?? (number ? checked(String(rest.value ?? ""), number).error : undefined);
  const beneath = wrong ? `${id}-error` : hint ? `${id}-hint` : undefined;
  const look = compact ? "rounded px-2 py-1" : "w-full rounded-md px-2.5 py-1.5";
  const typed = number && {
    inputMode: "decimal" as const,
    autoComplete: "off",
    onFocus: (e: FocusEvent<HTMLInputElement>) => e.target.select(),
  };
  return (
    <div className={compact ? "inline-block align-top" : undefined}>
      {!compact && (
        <label htmlFor={id} className="mb-0.5 block font-semibold">
          {label}
        </label>
      )}
      <input
        id={id}
        aria-label={compact ? label : undefined}
        aria-invalid={wrong ? true : undefined}
        aria-describedby={beneath}
        {...typed}
        {...rest}
        onInput={() => setTyping(true)}
        onKeyDown={(e) => {
          if (e.key === "Enter") setTyping(false);
          rest.onKeyDown?.(e);
        }}
        onBlur={(e) => {
          setTyping(false);
          rest.onBlur?.(e);
        }}
        className={`border bg-surface ${look} ${number ? "text-right" : ""} ${wrong ? "border-loss" : "border-line-2"} ${className || (compact && number ? "w-24" : "")}`}
      />
      {wrong ? (
        <p
          key={heard ? "heard" : "seen"}
          id={`${id}-error`}
          className={`mt-1 text-loss ${compact ? "max-w-56 text-sm leading-5" : ""}`}
          role={heard ? "alert" : undefined}
        >
          {wrong}
        </p>
      ) : (
        hint && (
          <p id={`${id}-hint`} className="mt-1 text-sm text-ink-2">
            {hint}
          </p>
        )
      )}
    </div>
  );
}
