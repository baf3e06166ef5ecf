/** Made by ./run types from whorl/fields: what a lever makes of a number, and where a camera goes. */
function lever_share_0(x: number, least: number, most: number): number {
  let span: number = most - least;
  let t: number = span != 0.0 ? (x - least) / span : 0.0;
  return t;
}

function levered_0_0(x: number, least: number, most: number, low: number, high: number, floor_of: number, ceiling: number): number {
  let made: number = Math.min(Math.max(low + (high - low) * lever_share_0(x, least, most), floor_of), ceiling);
  return made;
}

function levered_0_1(x: number, least: number, most: number, low: number, high: number, floor_of: number, ceiling: number): number {
  let made: number = Math.min(Math.max(low + (high - low) * lever_share_0(x, least, most), floor_of), ceiling);
  made = Math.floor(made + 0.5);
  return made;
}

function lever_share_1(x: number, least: number, most: number): number {
  let span: number = most - least;
  let t: number = span != 0.0 ? (x - least) / span : 0.0;
  let s: number = Math.min(Math.max(t, 0.0), 1.0);
  t = s * s * (3.0 - 2.0 * s);
  return t;
}

function levered_1_0(x: number, least: number, most: number, low: number, high: number, floor_of: number, ceiling: number): number {
  let made: number = Math.min(Math.max(low + (high - low) * lever_share_1(x, least, most), floor_of), ceiling);
  return made;
}

function levered_1_1(x: number, least: number, most: number, low: number, high: number, floor_of: number, ceiling: number): number {
  let made: number = Math.min(Math.max(low + (high - low) * lever_share_1(x, least, most), floor_of), ceiling);
  made = Math.floor(made + 0.5);
  return made;
}

function travelled_0(stands: number, gone: number, least: number, most: number): number {
  let made: number = stands + gone;
  return Math.min(Math.max(made, least), most);
}

function travelled_1(stands: number, gone: number, least: number, most: number): number {
  let made: number = stands * gone;
  return Math.min(Math.max(made, least), most);
}

export const LEVERED = {
  "linear": levered_0_0,
  "linear whole": levered_0_1,
  "eased": levered_1_0,
  "eased whole": levered_1_1,
};
export const TRAVELLED = {
  "beside": travelled_0,
  "times": travelled_1,
};
