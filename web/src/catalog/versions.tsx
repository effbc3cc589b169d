import { useQuery } from "@tanstack/react-query";
import type { OfferSheet, Schemas } from "../api/client";
import { Money, num } from "../parts/money";
import { type Column, Table } from "../parts/table";
import { ago } from "../parts/time";
import { versionsQuery } from "./queries";

type Version = Schemas["OffersVersion"];

/** Versions tells what the supplier said before, and what that was to buy it. */
export default function Versions({ offer }: { offer: OfferSheet }) {
  const versions = useQuery(versionsQuery(offer.id));
  if (versions.error) return <p className="text-loss">{versions.error.message}</p>;
  return <Table rows={versions.data ?? []} columns={columns} rowKey={(v) => v.until} label="What it said before" />;
}

const columns: Column<Version>[] = [
  { id: "until", name: "Until", className: "py-1 pr-2", show: (v) => <span title={v.until}>{ago(v.until)}</span> },
  { id: "cost", name: "Cost", align: "right", show: (v) => <Costs of={v} /> },
  { id: "stock", name: "Stock", align: "right", className: "pl-2", show: stockOf },
  { id: "variants", name: "Variants", align: "right", className: "pl-2", show: (v) => v.variants.length },
];

function Costs({ of: v }: { of: Version }) {
  const costs = v.variants.map((x) => x.cost).sort((a, b) => num(a) - num(b));
  const [least, most] = [costs[0], costs.at(-1)];
  if (!least || !most) return null;
  return (
    <>
      <Money of={least} />
      {most.value !== least.value && (
        <>
          –<Money of={most} />
        </>
      )}
    </>
  );
}

/** stockOf is the stock of all variants as far as it was said. */
function stockOf(v: Version): string {
  const known = v.variants.filter((x) => x.stock !== null);
  if (known.length === 0) return "not known";
  return known.reduce((sum, x) => sum + (x.stock ?? 0), 0).toLocaleString("en");
}
