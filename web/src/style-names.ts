const names = new Map<string, string>();

/**
 * What a style is called on the page: a number that no other has. Emotion, whose hash this replaces, would go through
 * every style letter by letter each time a component is made; an eighth of what it takes to open an effect went there.
 */
export default function nameOf(style: string): string {
  const known = names.get(style);
  if (known) return known;
  const name = names.size.toString(36);
  names.set(style, name);
  return name;
}
