import { useEffect, useState } from "react";

export type ThemeName = "lamplight" | "daylight";
const KEY = "glowdial.theme";

/** The theme in force, kept in the browser; the class on html decides. */
export function useTheme(): [ThemeName, () => void] {
  const [name, setName] = useState<ThemeName>(() =>
    localStorage.getItem(KEY) === "daylight" ? "daylight" : "lamplight",
  );
  useEffect(() => {
    document.documentElement.className = name === "lamplight" ? "dark" : "light";
    localStorage.setItem(KEY, name);
  }, [name]);
  return [name, () => setName(name === "lamplight" ? "daylight" : "lamplight")];
}
