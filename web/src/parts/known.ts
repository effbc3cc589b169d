// What a source does not say is not known: it is never shown as 0.

/** countText writes a number, or that it is not known. */
export const countText = (n: number | null, unknown = "not known") => (n === null ? unknown : n.toLocaleString("en"));

/** ratingText writes a rating, with how many gave one where that is told. */
export const ratingText = (rating: string, ratings?: number) =>
  rating === ""
    ? "no rating"
    : ratings === undefined
      ? `★ ${rating}`
      : `★ ${rating} of ${ratings.toLocaleString("en")}`;

/** onTimeText writes how many deliveries are on time. */
export const onTimeText = (percent: number | null) =>
  percent === null ? "on-time rate not known" : `${percent} % on time`;

/** stockText writes how many there are. */
export const stockText = (n: number | null) =>
  n === null ? "stock not known" : n === 0 ? "sold out" : `${n.toLocaleString("en")} in stock`;

/** soldText writes how many were sold in 30 days. */
export const soldText = (n: number | null) => (n === null ? "sales not known" : `${n.toLocaleString("en")} in 30 days`);

/** returnsText writes how long goods are taken back. */
export const returnsText = (days: number | null) =>
  days === null ? "not known" : days === 0 ? "none" : days === 1 ? "1 day" : `${days} days`;
