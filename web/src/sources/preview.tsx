import { moneyText, sayMoney } from "../parts/money";
import { type Looked, number } from "./words";

/** Preview shows the first rows as the offers that they would become, and what would be rejected. */
export function Preview({ looked }: { looked: Looked }) {
  if (looked.preview.length === 0)
    return (
      <p className="p-6 text-ink-2">
        {looked.field === "questions"
          ? "Answer the questions about this list, and its first rows are shown here as offers."
          : looked.error || "Match the columns, and the first rows are shown here as offers."}
      </p>
    );
  return (
    <table className="w-full text-left">
      <caption className="px-4 pt-3 pb-1 text-left font-semibold">
        The first rows as offers{" "}
        <span className="font-normal text-ink-2">
          ({number(looked.good)} to buy, {number(looked.bad)} rejected)
        </span>
      </caption>
      <thead className="text-sm text-ink-2">
        <tr className="border-b border-line">
          <th className="px-4 py-1 font-normal">Row</th>
          <th className="py-1 font-normal">Offer and what can be bought of it</th>
          <th className="py-1 text-right font-normal">Cost</th>
          <th className="px-3 py-1 text-right font-normal">Least</th>
          <th className="py-1 text-right font-normal">List</th>
          <th className="px-3 py-1 text-right font-normal">Stock</th>
          <th className="px-4 py-1 text-right font-normal">Weight</th>
        </tr>
      </thead>
      <tbody>
        {looked.preview.map((offer) =>
          offer.error ? (
            <tr key={`x${offer.row}`} className="border-b border-line bg-loss-wash">
              <td className="px-4 py-1 align-top text-ink-2">{offer.row}</td>
              <td className="py-1" colSpan={6}>
                <b className="text-loss">Rejected: {sayMoney(offer.error, "")}.</b>{" "}
                <span className="text-ink-2">{offer.cells.filter(Boolean).slice(0, 6).join(" · ")}</span>
              </td>
            </tr>
          ) : (
            <Offer key={`o${offer.row}${offer.number}`} offer={offer} />
          ),
        )}
      </tbody>
    </table>
  );
}

function Offer({ offer }: { offer: Looked["preview"][number] }) {
  return (
    <>
      {offer.variants.map((v, i) => (
        <tr key={v.number} className={i === offer.variants.length - 1 ? "border-b border-line" : ""}>
          <td className="px-4 py-0.5 align-top text-ink-2">{i === 0 ? offer.row : ""}</td>
          <td className="py-0.5">
            {i === 0 && (
              <span className="block">
                <b>{offer.title}</b>{" "}
                <span className="text-sm text-ink-2">
                  {offer.number}
                  {offer.category && ` · ${offer.category}`}
                  {offer.pictures > 0 && ` · ${offer.pictures} picture${offer.pictures === 1 ? "" : "s"}`}
                </span>
              </span>
            )}
            {v.values.length > 0 && (
              <span className="pl-3 text-sm">
                {v.values.map((value, j) => `${offer.options[j]}: ${value || "—"}`).join(", ")}{" "}
                <span className="text-ink-2">{v.number}</span>
              </span>
            )}
            {v.error && <span className="block pl-3 text-sm text-beak-ink">{sayMoney(v.error, "")}</span>}
          </td>
          <td className="py-0.5 text-right align-bottom whitespace-nowrap">
            {v.given && <span className="mr-2 text-sm text-ink-2">{sayMoney(v.given, "")} =</span>}
            {moneyText(v.cost, "")}
          </td>
          <td className="px-3 py-0.5 text-right align-bottom whitespace-nowrap text-ink-2">
            {v.min_advertised ? moneyText(v.min_advertised, "") : ""}
          </td>
          <td className="py-0.5 text-right align-bottom whitespace-nowrap text-ink-2">
            {v.list_price ? moneyText(v.list_price, "") : ""}
          </td>
          <td className="px-3 py-0.5 text-right align-bottom">{number(v.stock)}</td>
          <td className="px-4 py-0.5 text-right align-bottom whitespace-nowrap text-ink-2">
            {v.weight > 0 ? `${number(v.weight)} g` : ""}
          </td>
        </tr>
      ))}
    </>
  );
}
