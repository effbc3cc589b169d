import { useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";
import { Opener } from "../parts/opener";

type Option = Schemas["VariantOption"];

/** alikeIn says which names of an option are there twice; empty where none are. */
function alikeIn(edited: Option, others: Option[]): string {
  const plain = (name: string) => name.trim().replace(/\s+/g, " ").toLowerCase();
  if (others.some((o) => plain(o.name) === plain(edited.name)))
    return `There is an option “${edited.name.trim()}” already.`;
  const twice = edited.values.find((v, i) => edited.values.some((w, j) => j < i && plain(w.name) === plain(v.name)));
  return twice ? `Two values are called “${twice.name.trim()}”.` : "";
}

/** Rename opens an option's name and values to be called otherwise. */
export function Rename({
  option,
  others,
  onSave,
  readOnly,
}: {
  option: Option;
  others: Option[];
  onSave: (next: Option) => void;
  readOnly: boolean;
}) {
  const [edited, setEdited] = useState(option);
  useEffect(() => setEdited(option), [option]);
  const alike = alikeIn(edited, others);
  const was = option.original !== option.name ? ` (was “${option.original}”)` : "";
  if (readOnly) return <>{option.name}</>;
  return (
    <Opener
      className="clause text-sm font-semibold text-ink"
      label={`${option.name}${was}: rename it and its values`}
      panelLabel={`Rename ${option.name}`}
      panelClass="max-h-96 w-72 overflow-auto p-3"
      words={option.name}
    >
      {(close) => (
        <form
          className="space-y-2"
          onSubmit={(e) => {
            e.preventDefault();
            if (alike) return; // said below; what was typed stays
            onSave(edited);
            close();
          }}
        >
          <Field
            label="Option"
            {...(was && { hint: `the supplier's: “${option.original}”` })}
            value={edited.name}
            onChange={(e) => setEdited({ ...edited, name: e.target.value })}
            required
          />
          {edited.values.map((value, i) => (
            <label key={value.original} className="grid grid-cols-[5.25rem_1fr] items-center gap-2">
              <span className="truncate text-ink-2">{value.original}</span>
              <input
                value={value.name}
                required
                aria-label={`Value ${value.original}`}
                onChange={(e) =>
                  setEdited({
                    ...edited,
                    values: edited.values.map((x, j) => (i === j ? { ...x, name: e.target.value } : x)),
                  })
                }
                className="rounded border border-line-2 bg-surface px-2 py-1"
              />
            </label>
          ))}
          {alike && (
            <p className="text-loss" role="alert">
              {alike}
            </p>
          )}
          <div className="flex justify-end pt-1">
            <Button tone="main" type="submit">
              Rename
            </Button>
          </div>
        </form>
      )}
    </Opener>
  );
}
