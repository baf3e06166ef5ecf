/** A number as people type it: "1/24", "2*3", "(4 - 1) / 3", "0,5"; null where it is none. */
export function reckoned(text: string): number | null {
  const tokens = text.replaceAll(",", ".").match(/\d*\.?\d+(?:e[+-]?\d+)?|[-+*/()]|\S/gi) ?? [];
  let at = 0;
  const take = (...what: string[]) => (what.includes(tokens[at]) ? tokens[at++] : null);
  const value = (): number => {
    if (take("-")) return -value();
    if (take("+")) return value();
    if (take("(")) {
      const inner = sum();
      return take(")") ? inner : Number.NaN;
    }
    return /^[\d.]/.test(tokens[at] ?? "") ? Number(tokens[at++]) : Number.NaN;
  };
  const product = (): number => {
    let x = value();
    for (let op = take("*", "/"); op; op = take("*", "/")) x = op === "*" ? x * value() : x / value();
    return x;
  };
  const sum = (): number => {
    let x = product();
    for (let op = take("+", "-"); op; op = take("+", "-")) x = op === "+" ? x + product() : x - product();
    return x;
  };
  const made = sum();
  return at === tokens.length && Number.isFinite(made) ? made : null;
}
