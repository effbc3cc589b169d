import type { VirtualItem } from "@tanstack/react-virtual";
import { memo, type RefObject } from "react";
import type { Offer } from "../api/client";
import { Picture, Tick } from "../parts/controls";
import { cursorLook } from "../parts/grid";
import { PriceLadder } from "../parts/ladder";
import { RowReach, useRow } from "../parts/list";
import { Money, percent } from "../parts/money";
import { cardHeight } from "./look";

/** Wall shows offers by their pictures, with what each costs and earns beneath: people choose by eye. */
export default function Wall({
  box,
  items,
  size,
  count,
  perRow,
  row,
  top,
  cursor,
  selected,
  onPoint,
  onSelect,
}: {
  box: RefObject<HTMLDivElement | null>;
  items: VirtualItem[];
  size: number;
  count: number;
  perRow: number;
  row: (index: number) => Offer | undefined;
  top: number;
  cursor: number;
  selected: Map<number, Offer>;
  onPoint: (index: number) => void;
  onSelect: (offer: Offer | undefined) => void;
}) {
  return (
    <div
      className="flex min-h-0 grow flex-col"
      role="grid"
      aria-label="Offers"
      aria-rowcount={Math.ceil(count / perRow)}
      aria-colcount={perRow}
      aria-multiselectable
    >
      <div ref={box} className="min-h-0 grow overflow-auto" role="presentation">
        <div className="relative" role="rowgroup" style={{ height: size }}>
          {items.map((item) => (
            <div
              key={item.key}
              role="row"
              aria-rowindex={item.index + 1}
              className="absolute inset-x-0 grid gap-x-2 px-3"
              style={{ top: item.start, height: cardHeight, gridTemplateColumns: `repeat(${perRow}, minmax(0, 1fr))` }}
            >
              {Array.from({ length: Math.min(perRow, count - item.index * perRow) }, (_, i) => {
                const index = item.index * perRow + i;
                const offer = row(index);
                return (
                  <Card
                    key={offer?.id ?? `row ${index}`}
                    offer={offer}
                    index={index}
                    column={i}
                    top={top}
                    current={index === cursor}
                    selected={selected.has(offer?.id ?? 0)}
                    onPoint={onPoint}
                    onSelect={onSelect}
                  />
                );
              })}
            </div>
          ))}
        </div>
      </div>
    </div>
  );
}

const Card = memo(function Card({
  offer,
  index,
  column,
  top,
  current,
  selected,
  onPoint,
  onSelect,
}: {
  offer: Offer | undefined;
  index: number;
  column: number;
  top: number;
  current: boolean;
  selected: boolean;
  onPoint: (index: number) => void;
  onSelect: (offer: Offer | undefined) => void;
}) {
  const cell = useRow<HTMLDivElement>(current, () => onPoint(index));
  return (
    <div
      {...cell}
      role="gridcell"
      aria-colindex={column + 1}
      aria-selected={selected}
      data-cursor={current || undefined}
      className={`my-1.5 min-w-0 overflow-hidden rounded-md border p-1.5 contain-content ${selected ? "border-beak" : "border-line"} ${cursorLook(current)}`}
    >
      <RowReach value={current}>
        {offer && (
          <>
            <Picture path={offer.picture} width={400} className="aspect-square w-full" />
            <div className="mt-1 flex items-start gap-1">
              <p className="line-clamp-2 h-9 min-w-0 grow leading-[1.125rem] font-semibold" title={offer.title}>
                {offer.title}
              </p>
              <Tick checked={selected} onChange={() => onSelect(offer)} label={`Select ${offer.title}`} />
            </div>
            {offer.ladder ? (
              <div className="flex items-end justify-between gap-2">
                <span className="min-w-0">
                  <PriceLadder ladder={offer.ladder} top={top} width={88} />
                  <span className="block truncate text-sm text-ink-2">
                    landed <Money of={offer.ladder.landed} />
                  </span>
                </span>
                <span className="text-right">
                  <Money of={offer.ladder.profit} signed className="block font-bold" />
                  <span className="text-sm text-ink-2">
                    {offer.drafts.length > 0 ? "in the Workbench" : percent(offer.ladder.margin)}
                  </span>
                </span>
              </div>
            ) : (
              <p className="text-sm text-ink-2">{offer.no_price}</p>
            )}
          </>
        )}
      </RowReach>
    </div>
  );
});
