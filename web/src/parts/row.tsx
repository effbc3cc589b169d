import type { ButtonHTMLAttributes, ReactNode } from "react";
import { useReach } from "./list";
import { Link, type LinkProps } from "./route";

/** RowButton is a small button in a row of a list, reached with Tab where the cursor is. */
export function RowButton(rest: ButtonHTMLAttributes<HTMLButtonElement>) {
  const reach = useReach();
  return (
    <button
      type="button"
      tabIndex={reach}
      className="min-h-6 shrink-0 font-semibold underline decoration-beak underline-offset-2"
      {...rest}
    />
  );
}

/** RowLink leads from a row to another view. */
export function RowLink(rest: LinkProps) {
  const reach = useReach();
  return <Link tabIndex={reach} {...rest} />;
}

/** RowOut leads from a row out of the application, to a store or a supplier. */
export function RowOut({
  href,
  className = "underline underline-offset-2",
  children,
}: {
  href: string;
  className?: string;
  children: ReactNode;
}) {
  const reach = useReach();
  return (
    <a href={href} target="_blank" rel="noreferrer" tabIndex={reach} className={className}>
      {children}
    </a>
  );
}
