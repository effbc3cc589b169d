import type { Report } from "../api/client";

const areas = ["description", "pictures", "variants", "price"] as const;
const fills: Record<string, string> = { done: "bg-profit", needs_you: "bg-beak", empty: "bg-line-2" };
const names: Record<string, string> = { done: "done", needs_you: "needs you", empty: "empty" };

/** ReadinessMarks are four short bars: description, pictures, variants, price. What needs you stands taller. */
export function ReadinessMarks({ report }: { report: Report }) {
  const words = areas.map((area) => `${area} ${names[report[area]] ?? report[area]}`).join(", ");
  return (
    <span role="img" data-mark aria-label={words} title={words} className="flex h-2 items-end gap-1">
      {areas.map((area) => (
        <span
          key={area}
          className={`block w-4 rounded-sm ${fills[report[area]]} ${report[area] === "needs_you" ? "h-2" : report[area] === "empty" ? "h-0.5" : "h-1"}`}
        />
      ))}
    </span>
  );
}
