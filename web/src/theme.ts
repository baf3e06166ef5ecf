import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";

/** Chakra's colours that nothing here is in: each would be put together, and into the page, at every opening. */
const ELSEWHERE = ["orange", "yellow", "green", "teal", "blue", "cyan", "purple", "pink"];
const TOLD = ["warning", "success", "info"];
type Colours = NonNullable<NonNullable<NonNullable<typeof defaultConfig.theme>["semanticTokens"]>["colors"]>;

function without<T extends object>(from: T, names: string[]): T {
  return Object.fromEntries(Object.entries(from).filter(([name]) => !names.includes(name))) as T;
}

function plainly(config: typeof defaultConfig): typeof defaultConfig {
  const { tokens, semanticTokens, ...theme } = config.theme!;
  const colors = without(semanticTokens!.colors!, ELSEWHERE) as Record<string, Colours>;
  for (const part of ["bg", "fg", "border"]) colors[part] = without(colors[part], TOLD);
  const left = {
    tokens: { ...tokens, colors: without(tokens!.colors!, ELSEWHERE) },
    semanticTokens: { ...semanticTokens, colors },
  };
  return { ...config, theme: { ...theme, ...left } };
}

/**
 * Whorl's look: true neutral grey round the picture, deep blue-green ink elsewhere, fog-grey text,
 * sea-glass for what is selected or playing, coral only for what is wrong.
 */
const config = defineConfig({
  globalCss: {
    "html, body, #root": { height: "100%" },
    // A dialog takes them from the body, and its veil lies over all of the page anyway: said here, it goes no further,
    // and not every element is styled anew.
    "#root": { pointerEvents: "auto" },
    body: {
      bg: "ink",
      color: "fog",
      fontFamily: "body",
      fontSize: "13px",
      lineHeight: 1.35,
      overflow: "hidden",
    },
    "*:focus-visible": { outline: "2px solid {colors.glass}", outlineOffset: "2px" },
    "*": { scrollbarWidth: "thin", scrollbarColor: "#2a3a3c transparent" },
  },
  theme: {
    tokens: {
      fonts: {
        body: { value: "'Figtree Variable', sans-serif" },
        heading: { value: "'Figtree Variable', sans-serif" },
        mono: { value: "'DM Mono', monospace" },
      },
    },
    semanticTokens: {
      colors: {
        surround: { value: "#2b2b2b" },
        ink: { value: "#0d1618" },
        deep: { value: "#091012" },
        raised: { value: "#14211f" },
        line: { value: "#22312f" },
        fog: { value: "#c9d3d0" },
        mist: { value: "#8fa09c" },
        glass: { value: "#6fd6ba" },
        coral: { value: "#ff8672" },
        bg: {
          DEFAULT: { value: "#0d1618" },
          panel: { value: "#111d1e" },
          subtle: { value: "#14211f" },
          muted: { value: "#1b2a2a" },
        },
        fg: { DEFAULT: { value: "#c9d3d0" }, muted: { value: "#8fa09c" } },
        border: { DEFAULT: { value: "#22312f" } },
      },
    },
  },
});

const made = createSystem(plainly(defaultConfig), config);

/** Each element of Chakra's has its recipe made anew whenever it is drawn, with four stores that are empty again. */
const recipes = new WeakMap<object, ReturnType<typeof made.cva>>();
const cva = ((recipe) => {
  const known = recipe && recipes.get(recipe);
  if (known) return known;
  const fresh = made.cva(recipe);
  if (recipe) recipes.set(recipe, fresh);
  return fresh;
}) as typeof made.cva;

/** Asked of each property of each element, and kept by Chakra as what was asked last of five hundred. */
const known = new Map<string, boolean>();
function isValidProperty(name: string): boolean {
  const valid = known.get(name) ?? made.isValidProperty(name);
  known.set(name, valid);
  return valid;
}

export const system = { ...made, cva, isValidProperty };
