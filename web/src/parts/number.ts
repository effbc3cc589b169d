/** What a typed number says: its canonical text with a decimal point, or why it is none. */
export type Typed = { value: string; error?: undefined } | { value?: undefined; error: string };

/**
 * readNumber reads a number as people write it: 9,5 and 9.5; 1,299.00 and 1.299,00 and 1 299. With one sign and three
 * digits after it, it could be either: the sign of the browser's language decides, and where that is no help it is
 * asked.
 */
export function readNumber(text: string, language = navigator.language): Typed {
  const given = text.trim().replace(/[\s\u00a0\u202f'’]/g, "");
  if (given === "") return { value: "" };
  const bad = {
    error: `“${text.trim()}” is not a number. Write one such as ${decimalSign(language) === "," ? "9,50" : "9.50"}.`,
  };
  if (!/^[-+]?[\d.,]*\d[\d.,]*$/.test(given)) return bad;
  const sign = given.startsWith("-") ? "-" : "";
  const digits = given.replace(/^[-+]/, "");
  const last = Math.max(digits.lastIndexOf("."), digits.lastIndexOf(","));
  if (last < 0) return { value: sign + digits };
  const mark = digits[last] as string;
  const other = mark === "." ? "," : ".";
  const [whole, part] = [digits.slice(0, last), digits.slice(last + 1)];
  if (whole.includes(mark)) {
    // Several alike are thousands: 1,299,000.
    if (whole.includes(other) || !grouped(digits, mark)) return bad;
    return { value: sign + digits.split(mark).join("") };
  }
  if (whole.includes(other))
    return grouped(whole, other) ? { value: `${sign}${whole.split(other).join("")}.${part}` } : bad;
  if (part.length === 3 && whole !== "0" && whole.length <= 3 && whole !== "" && mark !== decimalSign(language))
    return { value: sign + whole + part };
  return { value: `${sign}${whole || "0"}${part === "" ? "" : `.${part}`}` };
}

function grouped(text: string, mark: string): boolean {
  const parts = text.split(mark);
  return (parts[0] ?? "").length <= 3 && parts[0] !== "" && parts.slice(1).every((p) => p.length === 3);
}

function decimalSign(language: string): string {
  return new Intl.NumberFormat(language).formatToParts(1.5).find((p) => p.type === "decimal")?.value ?? ".";
}

/**
 * typedNumber is a number as the API takes it; what is none is passed on as it was typed, to be refused in its own
 * words.
 */
export function typedNumber(text: string): string {
  return readNumber(text).value ?? text.trim();
}
