import { type InputHTMLAttributes, useId } from "react";
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

/** NumberField is the one field for typed numbers: as people write them where they live, with what is wrong beneath. */
export function NumberField({
  label,
  text,
  onText,
  bounds,
  error,
  className = "w-24",
  ...rest
}: {
  label: string;
  text: string;
  onText: (text: string) => void;
  bounds?: Bounds | undefined;
  /** Shown instead of what the field itself finds wrong. */
  error?: string | undefined;
  className?: string;
} & Omit<InputHTMLAttributes<HTMLInputElement>, "onChange" | "value">) {
  const id = useId();
  const wrong = error ?? checked(text, bounds).error;
  return (
    <span className="inline-block align-top">
      <input
        {...rest}
        aria-label={label}
        aria-invalid={wrong ? true : undefined}
        aria-describedby={wrong ? id : undefined}
        inputMode="decimal"
        value={text}
        onFocus={(e) => e.target.select()}
        onChange={(e) => onText(e.target.value)}
        className={`${className} rounded border bg-surface px-2 py-1 text-right ${wrong ? "border-loss" : "border-line-2"}`}
      />
      {wrong && (
        <span id={id} role="alert" className="block max-w-56 text-sm leading-5 text-loss">
          {wrong}
        </span>
      )}
    </span>
  );
}
