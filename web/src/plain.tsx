import type { BoxProps, FlexProps, GridProps, SystemStyleObject, TextProps } from "@chakra-ui/react";
import createCache from "@emotion/cache";
import { css } from "@emotion/react";
import { createElement, type ElementType, type ReactNode, type Ref } from "react";
import { system } from "./theme";

/**
 * Chakra's layouts and text, with its style properties and its look. Its own split and serialise all of their properties
 * whenever they are drawn, and are three components each, which was two fifths of all that React did here. These have
 * the class of a set of styles made once.
 */

// The server puts a nonce of its own in each page, which the policy asks of every style.
const nonce = globalThis.document?.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
export const cache = createCache({ key: "whorl", nonce });

type Given = Record<string, unknown>;
type More<E> = { as?: ElementType; className?: string; ref?: Ref<E>; children?: ReactNode };

const classes = new Map<string, string>();
function classOf(styles: Given): string {
  const said = JSON.stringify(styles);
  let name = classes.get(said);
  if (name === undefined) {
    const made = css(system.css(styles as SystemStyleObject));
    name = made.styles ? `${cache.key}-${made.name}` : "";
    if (name && cache.inserted[made.name] === undefined) cache.insert(`.${name}`, made, cache.sheet, true);
    classes.set(said, name);
  }
  return name;
}

/** An element that has `always` as styles, and knows some by other names. */
function plain<P, E = HTMLDivElement>(
  tag: ElementType,
  always: Given = {},
  named: Record<string, string> = {},
) {
  return function Plain(given: P & More<E>) {
    const { as, className, ...props } = given as Given & More<E>;
    const styles: Given = { ...always };
    const own: Given = {};
    const rest: Given = {};
    for (const name of Object.keys(props)) {
      if (name in named) styles[named[name]] = props[name];
      else if (system.isValidProperty(name)) own[name] = props[name];
      else rest[name] = props[name];
    }
    const made = classOf(Object.assign(styles, own));
    rest.className = className && made ? `${className} ${made}` : className || made || undefined;
    return createElement(as ?? tag, rest);
  };
}

export const Box = plain<BoxProps>("div");
export const Text = plain<TextProps, HTMLParagraphElement>("p");
export const Flex = plain<FlexProps>(
  "div",
  { display: "flex" },
  {
    direction: "flexDirection",
    align: "alignItems",
    justify: "justifyContent",
    wrap: "flexWrap",
    basis: "flexBasis",
    grow: "flexGrow",
    shrink: "flexShrink",
  },
);
export const Grid = plain<GridProps>(
  "div",
  { display: "grid" },
  {
    templateAreas: "gridTemplateAreas",
    templateColumns: "gridTemplateColumns",
    templateRows: "gridTemplateRows",
    autoColumns: "gridAutoColumns",
    autoFlow: "gridAutoFlow",
    autoRows: "gridAutoRows",
    column: "gridColumn",
    row: "gridRow",
  },
);
