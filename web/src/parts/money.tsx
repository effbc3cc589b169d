import { createContext, use } from "react";
import type { Amount } from "../api/client";

/** The currency of the store in use; amounts in others say their code. */
export const HomeCurrency = createContext("");

const formats = new Map<string, Intl.NumberFormat>();

const usual = new Map<string, number>();

/**
 * usualDigits is how many digits a currency has after the decimal sign; what the application says always has as many.
 */
export function usualDigits(currency: string): number {
  let digits = usual.get(currency);
  if (digits === undefined) {
    digits = new Intl.NumberFormat("en", { style: "currency", currency }).resolvedOptions().maximumFractionDigits ?? 0;
    usual.set(currency, digits);
  }
  return digits;
}

/** moneyText writes an amount: $21.99 in the home currency, CNY 46.20 in another. */
export function moneyText(amount: Amount, home: string): string {
  // $9.5, as typed, is $9.50
  const digits = Math.max(amount.value.split(".")[1]?.length ?? 0, usualDigits(amount.currency));
  const display = amount.currency === home ? "narrowSymbol" : "code";
  const key = `${amount.currency} ${digits} ${display}`;
  let format = formats.get(key);
  if (!format) {
    format = new Intl.NumberFormat("en", {
      style: "currency",
      currency: amount.currency,
      currencyDisplay: display,
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
    });
    formats.set(key, format);
  }
  return format.format(Number(amount.value)).replace("-", "−");
}

/** sayMoney writes the amounts within a sentence of the server's, such as 46.20 CNY, as all others are written. */
export function sayMoney(text: string, home: string): string {
  return text.replace(/(?<![\d.])(-?\d+(?:\.\d+)?) ([A-Z]{3})\b/g, (whole, value: string, currency: string) => {
    try {
      return moneyText({ value, currency }, home);
    } catch {
      return whole; // no currency
    }
  });
}

/** Money shows an amount; signed, it is coloured by whether it is kept or lost. */
export function Money({ of, signed = false, className = "" }: { of: Amount; signed?: boolean; className?: string }) {
  const home = use(HomeCurrency);
  const lost = of.value.startsWith("-");
  const tone = signed ? (lost ? "text-loss" : "text-profit-ink") : "";
  return <span className={`whitespace-nowrap ${tone} ${className}`}>{moneyText(of, home)}</span>;
}

/** percent writes a ratio such as 0.4523 as 45 %. */
export function percent(ratio: string, digits = 0): string {
  return `${(Number(ratio) * 100).toFixed(digits).replace("-", "−")} %`;
}

export const num = (a: Amount) => Number(a.value);
