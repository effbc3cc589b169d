import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";
import { Field } from "../parts/field";
import { ago, dayName } from "../parts/time";
import { useSay } from "../parts/toast";
import { membersQuery, tokensQuery } from "./queries";

type Role = Schemas["MembersMember"]["role"];

const may: Record<Role, string> = {
  owner: "connections, money rules and members too",
  editor: "edit drafts and publish",
  fulfiller: "see everything, work on orders",
  order_handler: "work on orders, without seeing costs",
};

/** roleWords are the roles as people say them. */
const roleWords: Record<Role, string> = {
  owner: "owner",
  editor: "editor",
  fulfiller: "fulfiller",
  order_handler: "order handler",
};

/** Members shows who may do what, and one's own tokens. */
export default function Members() {
  const session = useSession();
  return (
    <main className="min-h-0 grow overflow-auto">
      <div className="mx-auto grid max-w-5xl gap-8 px-6 py-6 *:min-w-0 max-md:px-3 lg:grid-cols-2">
        {session.may("owner") ? <Everyone /> : <OnlyMe />}
        <div>
          <Tokens />
          <OwnAccess />
        </div>
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
        You are {member.name}, {roleWords[member.role]}: {may[member.role]}. Members are added by an owner.
      </p>
    </section>
  );
}

function Everyone() {
  const client = useQueryClient();
  const say = useSay();
  const members = useQuery(membersQuery);
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
      void refresh(client, "members");
    },
  });
  return (
    <section aria-labelledby="members">
      <h1 id="members" className="mb-3 text-xl">
        Members
      </h1>
      <ul className="mb-4 rounded-lg border border-line bg-surface">
        {members.data?.map((m) => (
          <MemberRow key={m.id} member={m} />
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
        <Field
          label="Mail address"
          type="email"
          value={email}
          onChange={(e) => setEmail(e.target.value)}
          required
          error={add.error?.message}
        />
        <NewPassword label="First password" value={password} onChange={setPassword} />
        <RoleChoice role={role} onChange={setRole} />
        <Button type="submit" disabled={add.isPending}>
          Add
        </Button>
      </form>
    </section>
  );
}

type Member = Schemas["MembersMember"];

/** MemberRow is a member with what an owner can do about them. */
function MemberRow({ member: m }: { member: Member }) {
  const { member: me } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const [asking, setAsking] = useState<"disable" | "password" | "">("");
  const settled = () => refresh(client, "members");
  const change = useMutation<Member, Problem, { role?: Role; disabled?: boolean }>({
    mutationFn: (body) => ask(api.PATCH("/api/members/{id}", { params: { path: { id: m.id } }, body })),
    onSuccess: (now) => {
      say(now.disabled ? `${now.name} cannot sign in any more.` : `${now.name} is ${roleWords[now.role]}.`);
      setAsking((asked) => (asked === "disable" ? "" : asked)); // a password asked for meanwhile stays
    },
    onError: (error) => say(error.message, true),
    onSettled: settled,
  });
  const signOut = useMutation<unknown, Problem>({
    mutationFn: () => ask(api.POST("/api/members/{id}/sign-out", { params: { path: { id: m.id } } })),
    onSuccess: () => say(`${m.name} is signed out everywhere.`),
    onError: (error) => say(error.message, true),
  });
  return (
    <li className={`border-b border-line px-4 py-2 last:border-0 ${m.disabled ? "text-ink-2" : ""}`}>
      <div className="flex flex-wrap items-center justify-between gap-4">
        <span className="min-w-0">
          <b>{m.name}</b> {m.disabled && <b className="text-loss">disabled</b>}
          <span className="block truncate text-ink-2">{m.email}</span>
        </span>
        <select
          aria-label={`Role of ${m.name}`}
          value={m.role}
          onChange={(e) => change.mutate({ role: e.target.value as Role })}
          disabled={change.isPending}
          className="rounded-md border border-line-2 bg-surface px-2 py-1"
        >
          {(Object.keys(may) as Role[]).map((r) => (
            <option key={r} value={r}>
              {roleWords[r]}
            </option>
          ))}
        </select>
      </div>
      <p className="text-sm text-ink-2">{may[m.role]}</p>
      <p className="-ml-3 flex flex-wrap">
        <Button tone="quiet" onClick={() => setAsking("password")} aria-label={`Set a password for ${m.name}`}>
          Set a password
        </Button>
        <Button
          tone="quiet"
          onClick={() => signOut.mutate()}
          disabled={signOut.isPending}
          aria-label={`Sign out everywhere: ${m.name}`}
        >
          Sign out everywhere
        </Button>
        {m.disabled ? (
          <Button
            tone="quiet"
            onClick={() => change.mutate({ disabled: false })}
            aria-label={`Let sign in again: ${m.name}`}
          >
            Let sign in again
          </Button>
        ) : (
          m.id !== me.id && (
            <Button tone="quiet" onClick={() => setAsking("disable")} aria-label={`Disable ${m.name}`}>
              Disable
            </Button>
          )
        )}
      </p>
      {asking === "disable" && (
        <Dialog open onClose={() => setAsking("")} title={`Disable ${m.name}?`}>
          <p className="mb-4">
            They are signed out everywhere at once, their tokens stop working, and they cannot sign in. What they did
            stays on record.
          </p>
          <div className="flex justify-end gap-2">
            <Button onClick={() => setAsking("")}>Cancel</Button>
            <Button
              tone="danger"
              onClick={() => change.mutate({ disabled: true })}
              disabled={change.isPending}
              autoFocus
            >
              Disable {m.name}
            </Button>
          </div>
        </Dialog>
      )}
      {asking === "password" && <SetPassword member={m} onClose={() => setAsking("")} />}
    </li>
  );
}

function SetPassword({ member, onClose }: { member: Member; onClose: () => void }) {
  const say = useSay();
  const [password, setPassword] = useState("");
  const set = useMutation<unknown, Problem>({
    mutationFn: () =>
      ask(api.POST("/api/members/{id}/password", { params: { path: { id: member.id } }, body: { password } })),
    onSuccess: () => {
      say(`${member.name} has a new password and is signed out everywhere.`);
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} title={`A new password for ${member.name}`}>
      <form
        className="space-y-3"
        onSubmit={(e) => {
          e.preventDefault();
          set.mutate();
        }}
      >
        <NewPassword
          label="New password"
          autoFocus
          value={password}
          onChange={setPassword}
          hint=". They are signed out everywhere."
          error={set.error?.message}
        />
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button tone="main" type="submit" disabled={set.isPending}>
            Set the password
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** OwnAccess changes one's own password and ends one's other sessions. */
function OwnAccess() {
  const say = useSay();
  const [current, setCurrent] = useState("");
  const [password, setPassword] = useState("");
  const change = useMutation<unknown, Problem>({
    mutationFn: () => ask(api.POST("/api/me/password", { body: { current, password } })),
    onSuccess: () => {
      say("Your password is changed. Other sessions have ended.");
      setCurrent("");
      setPassword("");
    },
  });
  const leave = useMutation<unknown, Problem>({
    mutationFn: () => ask(api.POST("/api/me/sign-out")),
    onSuccess: () => say("Your other sessions have ended."),
    onError: (error) => say(error.message, true),
  });
  return (
    <section aria-labelledby="own-access" className="mt-8">
      <h2 id="own-access" className="mb-3 text-xl">
        Your password
      </h2>
      <form
        className="space-y-3 rounded-lg border border-line bg-surface p-4"
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate();
        }}
      >
        <Field
          label="Present password"
          type="password"
          autoComplete="current-password"
          value={current}
          onChange={(e) => setCurrent(e.target.value)}
          required
          error={change.error?.field === "current" ? change.error.message : undefined}
        />
        <NewPassword
          label="Another password"
          value={password}
          onChange={setPassword}
          error={change.error && change.error.field !== "current" ? change.error.message : undefined}
        />
        <p className="flex gap-2">
          <Button type="submit" disabled={change.isPending}>
            Change the password
          </Button>
          <Button tone="quiet" onClick={() => leave.mutate()} disabled={leave.isPending}>
            End my other sessions
          </Button>
        </p>
      </form>
    </section>
  );
}

type Choosing = {
  label: string;
  value: string;
  onChange: (password: string) => void;
  hint?: string;
  error?: string;
  autoFocus?: boolean;
};

/** NewPassword is the field that a password is chosen in; its hint goes on after what a password must have. */
function NewPassword({ onChange, hint = "", ...rest }: Choosing) {
  return (
    <Field
      {...rest}
      type="password"
      autoComplete="new-password"
      onChange={(e) => onChange(e.target.value)}
      required
      hint={`10 characters or more${hint}`}
    />
  );
}

const lasting = [
  { days: 30, words: "30 days" },
  { days: 90, words: "90 days" },
  { days: 365, words: "a year" },
  { days: 0, words: "until it is revoked" },
];

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
            {roleWords[r]}: {may[r]}
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
  const tokens = useQuery(tokensQuery);
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>(member.role);
  const [days, setDays] = useState(90);
  const again = () => refresh(client, "tokens");
  const make = useMutation<Schemas["MembersNewToken"], Problem>({
    mutationFn: () => ask(api.POST("/api/tokens", { body: { name, role, days } })),
    onSuccess: () => {
      setName("");
      void again();
    },
  });
  const drop = useMutation({
    mutationFn: (id: number) => ask(api.DELETE("/api/tokens/{id}", { params: { path: { id } } })),
    onSuccess: () => say("The token no longer works."),
    onError: (error) => say(error.message, true),
    onSettled: again,
  });
  return (
    <section aria-labelledby="tokens">
      <h2 id="tokens" className="mb-3 text-xl">
        {member.role === "owner" ? "Tokens" : "Your tokens"}
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
          <li
            key={t.id}
            className="flex items-center justify-between gap-4 border-b border-line px-4 py-2 last:border-0"
          >
            <span>
              <b>{t.name}</b> <span className="text-ink-2">{roleWords[t.role]}</span>
              <span className="block text-sm text-ink-2">
                {t.member !== member.name && `${t.member}'s, `}made {ago(t.created_at)}, used {ago(t.last_used_at)},{" "}
                {t.expires_at ? (
                  new Date(t.expires_at) < new Date() ? (
                    <b className="text-loss">expired</b>
                  ) : (
                    `until ${dayName(t.expires_at.slice(0, 10))}`
                  )
                ) : (
                  "does not expire"
                )}
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
        <Field
          label="What it is for"
          value={name}
          onChange={(e) => setName(e.target.value)}
          required
          error={make.error?.message}
        />
        <RoleChoice role={role} onChange={setRole} />
        <label className="block font-semibold">
          It works for
          <select
            value={days}
            onChange={(e) => setDays(Number(e.target.value))}
            className="mt-0.5 block w-full rounded-md border border-line-2 bg-surface px-2 py-1.5 font-normal"
          >
            {lasting.map((l) => (
              <option key={l.days} value={l.days}>
                {l.words}
              </option>
            ))}
          </select>
        </label>
        <Button type="submit" disabled={make.isPending}>
          Make a token
        </Button>
      </form>
    </section>
  );
}
