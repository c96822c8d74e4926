import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";

/** Lamplight is `_dark`, daylight is `_light`; screens take colour by meaning only. */
const both = (light: string, dark: string) => ({ value: { _light: light, _dark: dark } });

const config = defineConfig({
  globalCss: {
    "html, body, #root": { height: "100%" },
    body: { bg: "ground", color: "ink", fontFamily: "body", fontSize: "16px", lineHeight: 1.35 },
    "*:focus-visible": { outline: "3px solid {colors.glow}", outlineOffset: "2px" },
  },
  theme: {
    tokens: {
      fonts: {
        heading: { value: "'Jost Variable', sans-serif" },
        body: { value: "'Source Sans 3 Variable', sans-serif" },
        mono: { value: "'JetBrains Mono Variable', monospace" },
      },
    },
    semanticTokens: {
      colors: {
        ground: both("#f6efe2", "#17120d"),
        panel: both("#fffaf0", "#211a13"),
        raised: both("#f0e6d3", "#2b2219"),
        edge: both("#cdbb9b", "#4a3c2c"),
        ink: both("#2a2018", "#f3e8d2"),
        dim: both("#6b5a45", "#b9a98c"),
        glow: both("#a85400", "#ffb347"),
        onGlow: both("#fffaf0", "#17120d"),
        inside: both("#2c6e33", "#7cc47f"),
        near: both("#7d5a00", "#e0b94d"),
        outside: both("#b3261e", "#ff7a5c"),
        unknown: both("#6b6258", "#a59a8c"),
        band: both("#d9e4c6", "#33402a"),
        gray: { focusRing: both("#a85400", "#ffb347") },
      },
    },
  },
});

export const system = createSystem(defaultConfig, config);
