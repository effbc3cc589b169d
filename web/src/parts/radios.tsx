/** Radios are a few ways of which one is chosen, side by side. */
export function Radios<W extends string>({
  label,
  ways,
  value,
  onChange,
}: {
  label: string;
  ways: readonly (readonly [W, string])[];
  value: W;
  onChange: (way: W) => void;
}) {
  return (
    <fieldset className="mb-2 flex flex-wrap gap-1.5">
      <legend className="sr-only">{label}</legend>
      {ways.map(([way, words]) => (
        <label
          key={way}
          className={`flex min-h-7 cursor-pointer items-center gap-1.5 rounded-md border px-2.5 ${value === way ? "border-beak bg-beak-wash font-semibold" : "border-line-2"}`}
        >
          <input
            type="radio"
            name={label}
            className="accent-(--beak-fill)"
            checked={value === way}
            onChange={() => onChange(way)}
          />
          {words}
        </label>
      ))}
    </fieldset>
  );
}

/** Check is a checkbox with its words behind it. */
export function Check({
  checked,
  onChange,
  children,
}: {
  checked: boolean;
  onChange: (now: boolean) => void;
  children: string;
}) {
  return (
    <label className="flex min-h-7 items-center gap-1.5">
      <input
        type="checkbox"
        className="size-4 accent-(--beak-fill)"
        checked={checked}
        onChange={(e) => onChange(e.target.checked)}
      />
      {children}
    </label>
  );
}
