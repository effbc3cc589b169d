import { type ComponentProps, useMemo } from "react";
import { Link as Plain } from "wouter";
import { navigate, useHistoryState, usePathname, useSearch } from "wouter/use-browser-location";

export { Redirect, Route, Switch, useParams } from "wouter";

/** To is an address within the application. */
export type To = string | { pathname: string; search?: string };
type How = { replace?: boolean; state?: unknown };

const text = (to: To) =>
  typeof to === "string" ? to : `${to.pathname}${to.search ? `?${to.search.replace(/^\?/, "")}` : ""}`;

/** go leads to an address, or a number of steps through the history. */
function go(to: To | number, how?: How) {
  if (typeof to === "number") window.history.go(to);
  else navigate(text(to), how);
}

/** useNavigate gives what leads to an address. */
export const useNavigate = () => go;

/** useLocation is the address, and what was kept with it in the history. */
export function useLocation(): { pathname: string; search: string; state: unknown } {
  return { pathname: usePathname(), search: useSearch(), state: useHistoryState() };
}

type Params = ConstructorParameters<typeof URLSearchParams>[0];

/** setParams replaces what stands behind the question mark of the address as it is at that moment. */
function setParams(next: Params | ((now: URLSearchParams) => Params), how?: How) {
  const now = new URLSearchParams(window.location.search);
  const search = new URLSearchParams(typeof next === "function" ? next(now) : next).toString();
  navigate(text({ pathname: window.location.pathname, search }), how);
}

/** useSearchParams are what stands behind the question mark of the address, and what changes it. */
export function useSearchParams() {
  const search = useSearch();
  return [useMemo(() => new URLSearchParams(search), [search]), setParams] as const;
}

export type LinkProps = Omit<ComponentProps<"a">, "href"> & How & { to: To };

/** Link leads to an address within the application. */
export function Link({ to, ...rest }: LinkProps) {
  return <Plain to={text(to)} {...rest} />;
}

/** NavLink is a Link that knows whether one is there, or below it. */
export function NavLink({
  className,
  to,
  ...rest
}: Omit<LinkProps, "className" | "to"> & {
  to: string;
  className: string | ((state: { isActive: boolean }) => string);
}) {
  const here = usePathname();
  const isActive = here === to || (to !== "/" && here.startsWith(`${to}/`));
  return (
    <Link
      to={to}
      aria-current={isActive ? "page" : undefined}
      className={typeof className === "function" ? className({ isActive }) : className}
      {...rest}
    />
  );
}
