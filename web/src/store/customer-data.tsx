import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";
import { save } from "../parts/save";
import { useSay } from "../parts/toast";

/** CustomerData gives out or erases what is kept of one customer, who asked for it. */
export function CustomerData() {
  const say = useSay();
  const [email, setEmail] = useState("");
  const [sure, setSure] = useState(false);
  const give = useMutation<Schemas["OrdersCustomerData"], Problem>({
    mutationFn: () => ask(api.POST("/api/customers/export", { body: { email } })),
    onSuccess: (data) => {
      if (data.orders.length === 0) {
        say("Nothing is kept under this mail address.");
        return;
      }
      save(new Blob([JSON.stringify(data, null, 2)], { type: "application/json" }), "customer.json");
    },
  });
  const erase = useMutation<Schemas["OrdersErased"], Problem>({
    mutationFn: () => ask(api.POST("/api/customers/erase", { body: { email } })),
    onSuccess: ({ orders, open }) => {
      setSure(false);
      say(
        `Who bought ${orders === 1 ? "1 order" : `${orders} orders`} is erased.${
          open.length > 0 ? ` ${open.join(", ")} ${open.length === 1 ? "is" : "are"} still under way.` : ""
        }`,
      );
    },
  });
  const error = give.error ?? erase.error;
  return (
    <div>
      <Field
        label="What is kept of a customer, by mail address"
        type="email"
        value={email}
        maxLength={320}
        error={error?.message}
        onChange={(e) => {
          setEmail(e.target.value);
          setSure(false);
        }}
      />
      <p className="mt-2 flex flex-wrap items-center gap-2">
        <Button onClick={() => give.mutate()} ready={email !== "" && !give.isPending}>
          Export it
        </Button>
        {sure ? (
          <>
            <span>It cannot be brought back.</span>
            <Button tone="main" onClick={() => erase.mutate()} ready={!erase.isPending}>
              Erase it for good
            </Button>
            <Button onClick={() => setSure(false)}>Cancel</Button>
          </>
        ) : (
          <Button tone="quiet" onClick={() => setSure(true)} ready={email !== ""}>
            Erase it…
          </Button>
        )}
      </p>
    </div>
  );
}
