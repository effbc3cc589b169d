import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Field } from "../parts/controls";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";

type Role = Schemas["MembersMember"]["role"];

const may: Record<Role, string> = {
  owner: "connections, money rules and members too",
  editor: "edit drafts and publish",
  fulfiller: "see everything, work on orders",
};

/** Members shows who may do what, and one's own tokens. */
export default function Members() {
  const session = useSession();
  return (
    <main className="min-h-0 grow overflow-auto">
      <div className="mx-auto grid max-w-5xl gap-8 px-6 py-6 lg:grid-cols-2">
        {session.may("owner") ? <Everyone /> : <OnlyMe />}
        <Tokens />
      </div>
    </main>
  );
}

function OnlyMe() {
  const { member } = useSession();
  return (
    <section>
      <h1 className="mb-3 text-xl">Members</h1>
      <p className="text-ink-2">
        You are {member.name}, {member.role}: {may[member.role]}. Members are added by an owner.
      </p>
    </section>
  );
}

function Everyone() {
  const client = useQueryClient();
  const say = useSay();
  const members = useQuery({ queryKey: ["members"], queryFn: () => ask(api.GET("/api/members")) });
  const [name, setName] = useState("");
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [role, setRole] = useState<Role>("editor");
  const add = useMutation<unknown, Problem>({
    mutationFn: () => ask(api.POST("/api/members", { body: { name, email, role, password } })),
    onSuccess: () => {
      say(`${name} can sign in now.`);
      setName("");
      setEmail("");
      setPassword("");
      void client.invalidateQueries({ queryKey: ["members"] });
    },
  });
  return (
    <section aria-labelledby="members">
      <h1 id="members" className="mb-3 text-xl">
        Members
      </h1>
      <ul className="mb-4 rounded-lg border border-line bg-surface">
        {members.data?.map((m) => (
          <li key={m.id} className="flex justify-between gap-4 border-b border-line px-4 py-2 last:border-0">
            <span>
              <b>{m.name}</b> <span className="text-ink-2">{m.email}</span>
            </span>
            <span className="text-right">
              {m.role}
              <span className="block text-sm text-ink-2">{may[m.role]}</span>
            </span>
          </li>
        ))}
      </ul>
      <form
        className="space-y-3 rounded-lg border border-line bg-surface p-4"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <h2 className="text-lg">Add a member</h2>
        <Field label="Name" value={name} onChange={(e) => setName(e.target.value)} required />
        <Field label="Mail address" type="email" value={email} onChange={(e) => setEmail(e.target.value)} required trouble={add.error?.message} />
        <Field
          label="First password"
          type="password"
          autoComplete="new-password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
          required
          hint="10 characters or more"
        />
        <RoleChoice role={role} onChange={setRole} />
        <Button type="submit" disabled={add.isPending}>
          Add
        </Button>
      </form>
    </section>
  );
}

function RoleChoice({ role, onChange }: { role: Role; onChange: (role: Role) => void }) {
  return (
    <label className="block font-semibold">
      Role
      <select
        value={role}
        onChange={(e) => onChange(e.target.value as Role)}
        className="mt-0.5 block w-full rounded-md border border-line-2 bg-surface px-2 py-1.5 font-normal"
      >
        {(Object.keys(may) as Role[]).map((r) => (
          <option key={r} value={r}>
            {r}: {may[r]}
          </option>
        ))}
      </select>
    </label>
  );
}

function Tokens() {
  const client = useQueryClient();
  const say = useSay();
  const { member } = useSession();
  const tokens = useQuery({ queryKey: ["tokens"], queryFn: () => ask(api.GET("/api/tokens")) });
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>(member.role);
  const again = () => client.invalidateQueries({ queryKey: ["tokens"] });
  const make = useMutation<Schemas["MembersNewToken"], Problem>({
    mutationFn: () => ask(api.POST("/api/tokens", { body: { name, role } })),
    onSuccess: () => {
      setName("");
      void again();
    },
  });
  const drop = useMutation({
    mutationFn: (id: number) => ask(api.DELETE("/api/tokens/{id}", { params: { path: { id } } })),
    onSuccess: () => say("The token no longer works."),
    onSettled: again,
  });
  return (
    <section aria-labelledby="tokens">
      <h2 id="tokens" className="mb-3 text-xl">
        Your tokens
      </h2>
      <p className="mb-3 text-ink-2">
        With a token a script can do what the screens do. The API is described at{" "}
        <a href="/api/openapi.json" className="underline">
          /api/openapi.json
        </a>
        .
      </p>
      {make.data && (
        <div className="mb-3 rounded-md bg-profit-wash p-3" role="status">
          <p className="mb-1 font-semibold">Copy “{make.data.name}” now; it is not shown again.</p>
          <code className="block rounded bg-surface p-2 break-all select-all">{make.data.secret}</code>
        </div>
      )}
      <ul className="mb-4 rounded-lg border border-line bg-surface empty:hidden">
        {tokens.data?.map((t) => (
          <li key={t.id} className="flex items-center justify-between gap-4 border-b border-line px-4 py-2 last:border-0">
            <span>
              <b>{t.name}</b> <span className="text-ink-2">{t.role}</span>
              <span className="block text-sm text-ink-2">
                made {ago(t.created_at)}, used {ago(t.last_used_at)}
              </span>
            </span>
            <Button tone="danger" onClick={() => drop.mutate(t.id)} aria-label={`Revoke ${t.name}`}>
              Revoke
            </Button>
          </li>
        ))}
      </ul>
      <form
        className="space-y-3 rounded-lg border border-line bg-surface p-4"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        <Field label="What it is for" value={name} onChange={(e) => setName(e.target.value)} required trouble={make.error?.message} />
        <RoleChoice role={role} onChange={setRole} />
        <Button type="submit" disabled={make.isPending}>
          Make a token
        </Button>
      </form>
    </section>
  );
}
