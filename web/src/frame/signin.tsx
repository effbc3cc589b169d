import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";
import { meQuery } from "./queries";

export default function SignIn() {
  const client = useQueryClient();
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const signIn = useMutation({
    mutationFn: () => ask(api.POST("/api/session", { body: { email, password } })),
    onSuccess: (member) => {
      client.setQueryData(meQuery.queryKey, member);
    },
  });
  const problem = signIn.error as Problem | null;
  return (
    <main className="grid h-full place-items-center bg-quay p-4">
      <form
        className="w-full max-w-sm space-y-4 rounded-lg bg-surface p-8"
        onSubmit={(e) => {
          e.preventDefault();
          signIn.mutate();
        }}
      >
        <div className="flex items-center gap-3">
          <img src="/pelican.svg" alt="" width="36" height="36" />
          <h1 className="text-2xl">Plain Pelican</h1>
        </div>
        <p className="text-ink-2">From a supplier's catalog to a listing, with every price explained.</p>
        <Field
          label="Mail address"
          type="email"
          autoComplete="username"
          autoFocus
          value={email}
          onChange={(e) => setEmail(e.target.value)}
          required
        />
        <Field
          label="Password"
          type="password"
          autoComplete="current-password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
          required
          error={problem?.message}
        />
        <Button tone="main" type="submit" disabled={signIn.isPending} className="w-full justify-center">
          {signIn.isPending ? "Signing in…" : "Sign in"}
        </Button>
      </form>
    </main>
  );
}
