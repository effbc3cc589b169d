const relative = new Intl.RelativeTimeFormat("en", { numeric: "auto" });

/** ago writes a moment as how long it is past. */
export function ago(moment: string | null | undefined): string {
  if (!moment) return "never";
  const seconds = Math.round((Date.parse(moment) - Date.now()) / 1000);
  if (Math.abs(seconds) < 45) return "just now";
  if (Math.abs(seconds) < 3600) return relative.format(Math.round(seconds / 60), "minute");
  if (Math.abs(seconds) < 86400) return relative.format(Math.round(seconds / 3600), "hour");
  return relative.format(Math.round(seconds / 86400), "day");
}

const dayAndMonth = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", timeZone: "UTC" });

/** dayName writes a day such as 2026-11-25 as 25 Nov. */
export function dayName(day: string): string {
  return dayAndMonth.format(new Date(`${day}T00:00:00Z`));
}
