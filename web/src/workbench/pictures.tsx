import {
  closestCenter,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import {
  arrayMove,
  rectSortingStrategy,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
} from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { useCallback } from "react";
import type { Draft, Schemas } from "../api/client";
import { Picture } from "../parts/controls";
import { useField } from "../parts/fields";
import type { EditDraft } from "./draft";

type Chosen = Schemas["WorkbenchPicture"];

/**
 * Pictures chooses which are shown and in which order: click or Enter shows or hides, drag or Space then arrows
 * moves.
 */
export function Pictures({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, {
      coordinateGetter: sortableKeyboardCoordinates,
      keyboardCodes: { start: ["Space"], end: ["Space", "Tab"], cancel: ["Escape"] },
    }),
  );
  const save = (list: Chosen[]) => edit({ pictures: list.map(({ id, shown }) => ({ id, shown })) });
  const moved = ({ active, over }: DragEndEvent) => {
    if (!over || active.id === over.id) return;
    const at = (id: unknown) => draft.pictures.findIndex((p) => p.id + 1 === id);
    save(arrayMove(draft.pictures, at(active.id), at(over.id)));
  };
  const shown = draft.pictures.filter((p) => p.shown).length;
  const first = draft.pictures.find((p) => p.shown);
  return (
    <section aria-label="Pictures">
      <div className="mb-1 flex justify-between">
        <h2 className="text-base">Pictures</h2>
        <span className="text-sm text-ink-2">
          {shown} of {draft.pictures.length} shown
        </span>
      </div>
      {draft.pictures.length === 0 && <p className="text-ink-2">The supplier gives no pictures.</p>}
      <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={moved}>
        <SortableContext items={draft.pictures.map((p) => p.id + 1)} strategy={rectSortingStrategy}>
          <div className="grid grid-cols-4 gap-2">
            {draft.pictures.map((p, i) => (
              <Thumb
                key={p.id}
                picture={p}
                number={i + 1}
                first={p === first}
                disabled={readOnly}
                onToggle={() => save(draft.pictures.map((x) => (x === p ? { ...x, shown: !x.shown } : x)))}
              />
            ))}
          </div>
        </SortableContext>
      </DndContext>
      <p className="mt-1 text-xs text-ink-2">
        Click to show or hide; drag, or Space and arrows, to move. The first is the one customers see first.
      </p>
    </section>
  );
}

function Thumb({
  picture,
  number,
  first,
  onToggle,
  disabled,
}: {
  picture: Chosen;
  number: number;
  first: boolean;
  onToggle: () => void;
  disabled: boolean;
}) {
  const sortable = useSortable({ id: picture.id + 1, disabled });
  const field = useField(number === 1 ? "pictures" : undefined);
  const { setNodeRef } = sortable;
  const ref = useCallback(
    (button: HTMLButtonElement | null) => {
      setNodeRef(button);
      return field(button);
    },
    [setNodeRef, field],
  );
  return (
    <button
      ref={ref}
      type="button"
      {...sortable.attributes}
      {...sortable.listeners}
      aria-pressed={picture.shown}
      aria-label={`Picture ${number}, ${picture.shown ? "shown" : "hidden"}${first ? ", first" : ""}`}
      disabled={disabled}
      onClick={onToggle}
      style={{ transform: CSS.Transform.toString(sortable.transform), transition: sortable.transition ?? undefined }}
      className={`relative aspect-square touch-none rounded-md border-2 ${first ? "border-beak" : "border-line"} ${sortable.isDragging ? "z-10" : ""}`}
    >
      <Picture path={picture.path} width={400} className={`size-full ${picture.shown ? "" : "opacity-30 grayscale"}`} />
      {first && (
        <span className="absolute bottom-0 left-0 rounded-tr bg-beak-fill px-1 text-xs font-semibold text-white">
          first
        </span>
      )}
      {!picture.shown && (
        <span className="absolute right-0 bottom-0 rounded-tl bg-surface px-1 text-xs text-ink-2">hidden</span>
      )}
    </button>
  );
}
