import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Draft } from "../api/client";
import { useSession } from "../frame/session";
import { checked, Field } from "../parts/field";
import { NameField, NamesField } from "../parts/names";
import type { EditDraft } from "./draft";
import { namesQuery } from "./queries";

/** Groups are what a draft is filed under: collections, tags, type, vendor, and how much of its stock is kept back. */
export function Groups({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const { store } = useSession();
  const names = useQuery(namesQuery).data;
  return (
    <div className="mt-2 grid gap-x-5 gap-y-1 sm:grid-cols-2">
      <NamesField
        label="Collections"
        names={draft.collections}
        suggestions={names?.collections ?? []}
        readOnly={readOnly}
        onSave={(collections) => edit({ collections })}
      />
      <NamesField
        label="Tags"
        names={draft.tags}
        suggestions={names?.tags ?? []}
        readOnly={readOnly}
        onSave={(tags) => edit({ tags })}
      />
      <NameField
        label="Type"
        value={draft.type}
        suggestions={names?.types ?? []}
        placeholder="What kind of thing it is"
        readOnly={readOnly}
        onSave={(type) => edit({ type })}
      />
      <div className="flex gap-5">
        <div className="min-w-0 grow">
          <NameField
            label="Vendor"
            value={draft.vendor}
            suggestions={names?.vendors ?? []}
            placeholder={store?.name ?? "Your shop"}
            readOnly={readOnly}
            onSave={(vendor) => edit({ vendor })}
          />
        </div>
        <Reserve draft={draft} edit={edit} readOnly={readOnly} />
      </div>
    </div>
  );
}

const bounds = { least: 0, most: 1_000_000, whole: true };

/** Reserve is how many units of each variant stores do not show. */
function Reserve({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const [text, setText] = useState(String(draft.reserve));
  useEffect(() => setText(String(draft.reserve)), [draft.reserve]);
  const save = () => {
    const read = checked(text, bounds);
    if (read.error !== undefined) return; // said beneath it; what was typed stays
    const reserve = Number(read.value || "0");
    setText(String(reserve));
    if (reserve !== draft.reserve) edit({ reserve });
  };
  return (
    <div className="flex shrink-0 items-baseline gap-2">
      <span className="text-ink-2" aria-hidden="true">
        Stock reserve
      </span>
      <Field
        compact
        label="Stock reserve"
        title="Units of each variant that stores do not show"
        value={text}
        number={bounds}
        readOnly={readOnly}
        className="w-14 py-0.5!"
        onChange={(e) => setText(e.target.value)}
        onBlur={save}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </div>
  );
}
