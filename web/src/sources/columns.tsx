import { useDraggable, useDroppable } from "@dnd-kit/core";
import { fieldName, fields, type Layout, type Looked } from "./words";

/** Chips are the fields that no column holds yet; each can be dragged onto a column. */
export function Chips({ layout }: { layout: Layout }) {
  const taken = new Set(layout.columns.map((c) => c.field));
  const left = fields.filter(([f]) => !taken.has(f) || f === "option" || f === "picture");
  return (
    <div
      className="flex flex-wrap items-center gap-1.5 border-b border-line bg-sunk px-4 py-2"
      role="group"
      aria-label="Not matched"
    >
      <span className="text-sm text-ink-2">Drag onto a column:</span>
      {left.map(([field, name]) => (
        <Chip key={field} field={field} name={name} needed={field === "cost" || field === "title"} />
      ))}
    </div>
  );
}

function Chip({ field, name, needed }: { field: string; name: string; needed: boolean }) {
  const { setNodeRef, listeners, attributes, transform, isDragging } = useDraggable({ id: field });
  return (
    <button
      type="button"
      ref={setNodeRef}
      {...listeners}
      {...attributes}
      style={transform ? { transform: `translate(${transform.x}px, ${transform.y}px)` } : undefined}
      className={`min-h-6 cursor-grab rounded border bg-surface px-2 text-sm ${needed ? "border-loss font-semibold text-loss" : "border-line-2"} ${isDragging ? "z-20 shadow-lg" : ""}`}
    >
      {name}
      {needed && " (needed)"}
    </button>
  );
}

/** Columns are the list's columns, each with what it was matched to and some of what it holds. */
export function Columns({
  looked,
  layout,
  onMatch,
}: {
  looked: Looked;
  layout: Layout;
  onMatch: (column: number, field: string) => void;
}) {
  return (
    <section aria-label="Columns" tabIndex={0} className="overflow-x-auto border-b border-line">
      <ul className="flex min-w-max">
        {layout.columns.map((column, i) => (
          <ColumnCard
            // biome-ignore lint/suspicious/noArrayIndexKey: columns may share a name; their order is their identity
            key={i}
            at={i}
            header={column.header}
            field={column.field}
            why={looked.columns[i]?.why ?? ""}
            sure={looked.columns[i]?.sure ?? true}
            samples={looked.columns[i]?.samples ?? []}
            onMatch={onMatch}
          />
        ))}
      </ul>
    </section>
  );
}

function ColumnCard({
  at,
  header,
  field,
  why,
  sure,
  samples,
  onMatch,
}: {
  at: number;
  header: string;
  field: string;
  why: string;
  sure: boolean;
  samples: string[];
  onMatch: (column: number, field: string) => void;
}) {
  const { setNodeRef, isOver } = useDroppable({ id: String(at) });
  return (
    <li
      ref={setNodeRef}
      className={`w-52 border-r border-line px-2.5 py-2 ${isOver ? "bg-beak-wash" : field ? "bg-surface" : ""}`}
    >
      <span className="block truncate font-semibold" title={header}>
        {header || "(no name)"}
      </span>
      <select
        aria-label={`What ${header || `column ${at + 1}`} holds`}
        value={field}
        title={why}
        onChange={(e) => onMatch(at, e.target.value)}
        className={`my-1 w-full rounded border px-1 py-1 text-sm ${field ? (sure ? "border-profit bg-profit-wash" : "border-beak bg-beak-wash") : "border-dashed border-line-2 bg-surface text-ink-2"}`}
      >
        <option value="">not read</option>
        {fields.map(([f, name]) => (
          <option key={f} value={f}>
            {name}
          </option>
        ))}
      </select>
      {field && !sure && <span className="block text-sm text-beak-ink">a guess by what it holds</span>}
      {samples.map((text) => (
        <span key={text} className="block truncate text-sm text-ink-2" title={text}>
          {text}
        </span>
      ))}
      <span className="sr-only">{fieldName(field) ? `Matched, ${why}` : "Not read"}</span>
    </li>
  );
}
