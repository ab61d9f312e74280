import { createSystem, defaultConfig, defineConfig, type SystemConfig } from "@chakra-ui/react";
import { create } from "zustand";
import { recipes, slotRecipes } from "./recipes";

/** Night (dark) and paper (light) values of every colour. No colour literal stands anywhere else. */
const COLOURS: Record<string, [night: string, paper: string]> = {
  ground: ["#17211f", "#eeece3"],
  sheet: ["#1e2b28", "#f7f5ee"],
  raised: ["#263632", "#e3e4d9"],
  line: ["#34463f", "#c9ccbf"],
  chalk: ["#eef0e6", "#1d2926"],
  dim: ["#9fb0a6", "#51625a"],
  faint: ["#6d8077", "#8b988f"],
  glass: ["#86cdb4", "#1f6b55"],
  glassDeep: ["#3f7465", "#7fb8a4"],
  amber: ["#f0b04a", "#875204"],
  amberSoft: ["#3a3322", "#f3e3c2"],
  onAmber: ["#1c1608", "#fffaf0"],
  coral: ["#ef7b63", "#b23a22"],
  plum: ["#b79be8", "#6a4bab"],
  plumDeep: ["#65518c", "#b8a5df"],
  sky: ["#7fb4e0", "#24659b"],
  skyDeep: ["#3f6688", "#93bcdf"],
};

const own = Object.fromEntries(
  Object.entries(COLOURS).map(([name, [night, paper]]) => [name, { DEFAULT: { value: { base: night, _light: paper, _dark: night } } }]),
);

/** For what is left out where the window is narrow: it stands in a panel too, or is only looked at. */
export const IN_WIDE = { "@media (max-width: 1240px)": { display: "none" } };

/** The square of a mark, in the colour it is named after. */
const MARKS = {
  "& i": { width: "9px", height: "9px", borderRadius: "3px", flexShrink: 0 },
  ...Object.fromEntries(["glass", "amber", "coral", "plum", "sky"].map((mark) => [`& i[data-mark=${mark}]`, { background: `{colors.${mark}}` }])),
};

/** Chakra's own theme without its colours: ours take their names, and a start makes nothing of hundreds that nobody sees. */
const { colors: theirs, ...tokens } = defaultConfig.theme?.tokens ?? {};
const { colors: _, ...semanticTokens } = defaultConfig.theme?.semanticTokens ?? {};
const { transparent, current, black, white } = (theirs ?? {}) as Record<string, { value: string }>;
const base: SystemConfig = {
  ...defaultConfig,
  theme: { ...defaultConfig.theme, tokens: { ...tokens, colors: { transparent, current, black, white } }, semanticTokens },
};

/** One of our colours under another name. */
const as = (name: string) => ({ value: `{colors.${name}}` });

/** What Chakra's components ask a palette for. */
const palette = (name: string, soft: string, on: string) => ({
  solid: as(name),
  contrast: as(on),
  fg: as(name),
  subtle: as(soft),
  muted: as(soft),
  emphasized: as("line"),
  focusRing: as("amber"),
  border: as("line"),
});

/** Chakra's own colour names, so that every component of its kind wears ours. */
const colors = {
  ...own,
  bg: {
    DEFAULT: as("ground"),
    subtle: as("sheet"),
    muted: as("raised"),
    emphasized: as("line"),
    panel: as("sheet"),
    inverted: as("chalk"),
    error: as("sheet"),
  },
  fg: { DEFAULT: as("chalk"), muted: as("dim"), subtle: as("dim"), inverted: as("ground"), error: as("coral") },
  border: { DEFAULT: as("line"), muted: as("line"), subtle: as("line"), emphasized: as("glass"), error: as("coral") },
  amber: { ...own.amber, ...palette("amber", "amberSoft", "onAmber") },
  glass: { ...own.glass, ...palette("glass", "glassDeep", "ground") },
  coral: { ...own.coral, ...palette("coral", "raised", "ground") },
  gray: palette("dim", "raised", "ground"),
  red: palette("coral", "raised", "ground"),
  orange: palette("amber", "amberSoft", "onAmber"),
  green: palette("glass", "glassDeep", "ground"),
  blue: palette("sky", "skyDeep", "ground"),
};

/** Chakra's system with our recipes and colours. It takes a while: whoever begins the page does it in a turn of its own. */
export const makeSystem = () =>
  createSystem(
    base,
    defineConfig({
      globalCss: {
        "html, body, #root": { height: "100%" },
        html: { colorPalette: "amber" },
        body: { bg: "ground", color: "chalk", fontSize: "13px", lineHeight: 1.4, overflow: "hidden" },
        // rows of the table of sounds: plain elements, since hundreds of them are drawn anew while scrolling
        ".sound-row": {
          position: "absolute",
          top: 0,
          left: 0,
          right: 0,
          display: "flex",
          alignItems: "center",
          gap: "8px",
          paddingInline: "10px",
          cursor: "pointer",
          borderLeft: "3px solid transparent",
          borderBottom: "1px solid {colors.line}",
          "&[data-picked]": { background: "{colors.amberSoft}", borderLeftColor: "{colors.amber}" },
          "&:hover, &[data-here]": { background: "{colors.raised}" },
          "&[data-here]": { borderLeftColor: "{colors.amber}" },
          "&[data-under]": { borderTop: "2px solid {colors.amber}" },
        },
        // on a wide screen the shapes of sounds get the room, not the gaps between columns
        ".sound-wave": { width: "clamp(63px, 34vw - 372px, 300px)", flexShrink: 0 },
        ".sound-name": {
          display: "flex",
          flex: 1,
          minWidth: "90px",
          alignItems: "center",
          gap: "7px",
          "& > span": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap", minWidth: 0 },
          "& small": { fontSize: "11px", marginLeft: "8px", color: "{colors.dim}" },
          "& small[data-tone=plum]": { color: "{colors.plum}" },
          "& small[data-tone=coral]": { color: "{colors.coral}" },
          ...MARKS,
        },
        // tiles of variations, of which hundreds come and go as one scrolls
        ".tile": {
          height: "104px",
          padding: "9px",
          borderRadius: "9px",
          background: "{colors.sheet}",
          border: "1px solid {colors.line}",
          cursor: "pointer",
          "& > div": { display: "flex", justifyContent: "space-between", fontFamily: "mono", color: "{colors.dim}", whiteSpace: "nowrap" },
          "& > .said": { fontSize: "11px" },
          "& > .wave": { display: "block" },
          "& > .measured": { fontSize: "10px" },
          "& b": { fontWeight: 700, color: "{colors.chalk}" },
          "& i": { fontStyle: "normal", fontWeight: 400, color: "{colors.amber}", marginLeft: "5px" },
          "&[data-state=kept]": { background: "{colors.raised}", borderColor: "{colors.glass}", "& .state": { color: "{colors.glass}" } },
          "&[data-state=dropped]": { borderStyle: "dashed", "& b": { color: "{colors.dim}" }, "& > .wave": { opacity: 0.35 } },
          "&[data-other]": { borderColor: "{colors.plum}", boxShadow: "0 0 0 1px {colors.plum}" },
          "&[aria-selected=true]": { borderColor: "{colors.amber}", boxShadow: "0 0 0 1px {colors.amber}" },
          "&[data-sounding]": { background: "{colors.amberSoft}" },
        },
        ".facet": {
          display: "flex",
          alignItems: "center",
          borderRadius: "6px",
          "&[data-on]": { background: "{colors.raised}" },
          "&[data-over]": { background: "{colors.amberSoft}" },
          "& > button:first-of-type": {
            display: "flex",
            flex: 1,
            minWidth: 0,
            alignItems: "center",
            gap: "6px",
            padding: "2px 6px 2px 8px",
            borderRadius: "6px",
            textAlign: "left",
            lineHeight: "1.4",
            cursor: "pointer",
          },
          "&[data-on] > button:first-of-type": { color: "{colors.amber}" },
          "& > button:first-of-type:hover": { background: "{colors.raised}" },
          "& span": { flex: 1, minWidth: 0, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
          "& small": { fontFamily: "{fonts.mono}", fontSize: "11px", color: "{colors.dim}" },
          ...MARKS,
        },
        ".sound-cell": {
          flexShrink: 0,
          overflow: "hidden",
          textOverflow: "ellipsis",
          whiteSpace: "nowrap",
          fontFamily: "{fonts.mono}",
          fontSize: "11px",
          "&[data-wordy]": { fontFamily: "{fonts.body}" },
          "&[data-sure=none]": { color: "{colors.dim}" },
          "&[data-sure=no]": { color: "{colors.amber}" },
          "&[data-sure=no] span, &[data-sure=perhaps] span": { borderBottom: "1px dashed {colors.amber}" },
        },
        "::selection": { bg: "glassDeep" },
        "*:focus-visible": { outline: "2px solid {colors.amber}", outlineOffset: "1px" },
        "::-webkit-scrollbar": { width: "9px", height: "9px" },
        "::-webkit-scrollbar-thumb": { background: "{colors.line}", borderRadius: "5px" },
        "*, *::before, *::after": { _motionReduce: { transition: "none !important", animation: "none !important" } },
      },
      theme: {
        keyframes: { struck: { from: { background: "{colors.amber}" } } },
        tokens: {
          fonts: {
            body: { value: "'Figtree Variable', sans-serif" },
            heading: { value: "'Bricolage Grotesque Variable', sans-serif" },
            mono: { value: "'JetBrains Mono Variable', monospace" },
          },
        },
        semanticTokens: { colors },
        recipes,
        slotRecipes,
      },
    }),
  );

export type Ink = Record<keyof typeof COLOURS, string>;

const inks = [0, 1].map((look) => Object.fromEntries(Object.entries(COLOURS).map(([name, values]) => [name, values[look]])));

/** The colours of the theme in force, for canvases. */
export function ink(): Ink {
  return inks[document.documentElement.classList.contains("light") ? 1 : 0];
}

/** Which look is worn; what draws on a canvas draws again when it changes. */
export const useLook = create<{ worn: Look }>(() => ({ worn: "night" }));

/** As ``ink``, for components: the same object as long as the look is the same. */
export function useInk(): Ink {
  useLook((state) => state.worn);
  return ink();
}

export type Look = "night" | "paper";

export function look(): Look {
  const chosen = localStorage.getItem("look");
  if (chosen === "night" || chosen === "paper") return chosen;
  return matchMedia("(prefers-color-scheme: light)").matches ? "paper" : "night";
}

export function wear(chosen: Look) {
  document.documentElement.classList.toggle("light", chosen === "paper");
  document.documentElement.classList.toggle("dark", chosen === "night");
  useLook.setState({ worn: chosen });
  document.documentElement.style.colorScheme = chosen === "paper" ? "light" : "dark";
}
