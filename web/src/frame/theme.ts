import { useEffect, useState } from "react";

type Theme = "light" | "dark";

/** useTheme follows the system's wish until one is chosen. */
export function useTheme(): [Theme, (next: Theme) => void] {
  const wish: Theme = matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
  const [theme, set] = useState<Theme>(() => (localStorage.getItem("theme") as Theme | null) ?? wish);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  return [
    theme,
    (next) => {
      localStorage.setItem("theme", next);
      set(next);
    },
  ];
}
