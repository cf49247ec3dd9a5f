import { useEffect, useState } from "react";

type Theme = "light" | "dark";
const key = "switchback-theme";

/** The theme, kept in this browser. Light unless the person chose otherwise. */
export function useTheme(): { theme: Theme; toggle: () => void } {
  const [theme, setTheme] = useState<Theme>(() => (localStorage.getItem(key) === "dark" ? "dark" : "light"));
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
    document.documentElement.style.colorScheme = theme;
    localStorage.setItem(key, theme);
  }, [theme]);
  return { theme, toggle: () => setTheme(theme === "light" ? "dark" : "light") };
}
