import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, ask, type Problem, type Schemas } from "../api/client";

export type Order = Schemas["OrdersOrder"];
export type OrderRow = Schemas["OrdersRow"];
export type Purchase = Schemas["OrdersPurchaseView"];
export type Review = Schemas["OrdersReview"];
export type Page = Schemas["OrdersPage"];

/** orderStates are where an order is, in words that go on “orders”, those that need a person first. */
export const orderStates = {
  problem: "with a problem",
  to_buy: "to buy",
  to_send: "on order sheets to send",
  to_pay: "to pay for",
  buying: "being bought",
  bought: "bought, not shipped yet",
  shipped: "on their way",
  delivered: "delivered",
  cancelled: "cancelled",
  not_ours: "with nothing of ours",
} as const;
export type OrderState = keyof typeof orderStates;

/** stateWords are where one order is. */
export const stateWords: Record<string, string> = {
  problem: "problem",
  to_buy: "to buy",
  to_send: "to send",
  to_pay: "to pay",
  buying: "being bought",
  bought: "bought",
  shipped: "on its way",
  delivered: "delivered",
  cancelled: "cancelled",
  not_ours: "not ours",
};

/** purchaseWords are where a purchase is. */
export const purchaseWords: Record<string, string> = {
  to_send: "on an order sheet that you send",
  waiting: "waits to be sent",
  sending: "being sent to the supplier",
  unknown: "not known; the supplier is asked again",
  refused: "refused",
  placed: "the supplier has it, and waits to be paid",
  paid: "paid, not shipped yet",
  shipped: "on its way",
  delivered: "delivered",
  cancelled: "cancelled by the supplier",
};

/** matters are what may be the matter with an order. */
export const matters = {
  late: "late",
  loses: "that lose money",
  address: "with a doubtful address",
} as const;
export type Matter = keyof typeof matters;

/** OrderFilter says which orders are listed; what is empty asks for nothing. */
export type OrderFilter = {
  state?: OrderState;
  matter?: Matter;
  store?: number;
  country?: string;
  supplier?: string;
  /** Placed so many days ago or earlier. */
  older?: number;
  words?: string;
  archived?: boolean;
};

const pageSize = 100;

/** ordersQuery reads orders page by page, the newest first. */
export const ordersQuery = (filter: OrderFilter) =>
  infiniteQueryOptions<Page, Problem, { pages: Page[] }, readonly ["orders", OrderFilter], number>({
    queryKey: ["orders", filter],
    queryFn: ({ pageParam }) =>
      ask(api.GET("/api/orders", { params: { query: { ...filter, before: pageParam, limit: pageSize } } })),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next || undefined,
  });

/** ages are how old orders may be asked to be at least, in days. */
export const ages = { 1: "a day", 3: "3 days", 7: "a week", 14: "2 weeks", 30: "a month" } as const;

/** choicesQuery reads what orders can be filtered by. */
export const choicesQuery = queryOptions({
  queryKey: ["orders", "choices"],
  queryFn: () => ask(api.GET("/api/orders/choices")),
  staleTime: 30_000,
});

/** orderQuery reads one order in full. */
export const orderQuery = (id: number) =>
  queryOptions<Order, Problem>({
    queryKey: ["orders", "one", id],
    queryFn: () => ask(api.GET("/api/orders/{id}", { params: { path: { id } } })),
    enabled: id > 0,
  });

/** owedQuery reads the purchases that suppliers wait to be paid for. */
export const owedQuery = queryOptions({
  queryKey: ["orders", "owed"],
  queryFn: () => ask(api.GET("/api/purchases/owed")),
});

/** toSendQuery reads the sources with purchases on order sheets that a person sends. */
export const toSendQuery = queryOptions({
  queryKey: ["orders", "to-send"],
  queryFn: () => ask(api.GET("/api/purchases/to-send")),
});
