import { useMutation } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { api, ask } from "../api/client";
import { panel } from "../parts/panel";
import { useNavigate } from "../parts/route";
import { useSession } from "./session";
import { useTheme } from "./theme";

const item =
  "flex min-h-8 cursor-pointer items-center justify-between gap-6 rounded px-3 outline-none data-[highlighted]:bg-sunk";

/** StoreMenu holds the store in use and everything that is settled once for it. */
export default function StoreMenu({ className, children }: { className: string; children: ReactNode }) {
  const { store, stores, chooseStore, member, may } = useSession();
  const [theme, setTheme] = useTheme();
  const go = useNavigate();
  const leave = useMutation({
    mutationFn: () => ask(api.DELETE("/api/session")),
    onSettled: () => window.location.assign("/"), // leaves nothing of theirs in memory
  });
  return (
    <DropdownMenu.Root defaultOpen>
      <DropdownMenu.Trigger className={className}>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={`${panel} min-w-60 p-1.5`} align="end" sideOffset={6}>
          {stores.length > 1 && (
            <>
              {stores.map((s) => (
                <DropdownMenu.Item key={s.id} className={item} onSelect={() => chooseStore(s.id)}>
                  {s.name} · {s.currency}
                  {s.id === store?.id && <span className="text-beak-ink">in use</span>}
                </DropdownMenu.Item>
              ))}
              <DropdownMenu.Separator className="my-1 h-px bg-line" />
            </>
          )}
          {may("fulfiller") && (
            <DropdownMenu.Item className={item} onSelect={() => go("/store")}>
              {store ? "Stores" : "Connect a store"}
            </DropdownMenu.Item>
          )}
          <DropdownMenu.Item className={item} onSelect={() => go("/members")}>
            Members and tokens
          </DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className={item} onSelect={() => setTheme(theme === "dark" ? "light" : "dark")}>
            {theme === "dark" ? "Light" : "Dark"} theme
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} onSelect={() => leave.mutate()}>
            Sign out <span className="text-ink-2">{member.name}</span>
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
