import { readFileSync } from "node:fs";
import { produce } from "immer";
import { describe, expect, test } from "vitest";
import { learn } from "../src/api/catalogue";
import type { Effect } from "../src/api/client";
import { LEVERED } from "../src/api/levers.gen";
import { clipStrand, duplicateWhole, paste } from "../src/document/clip";
import {
  addBeads,
  deleteBeacon,
  deleteStrand,
  inPeoplesWords,
  inWords,
  nameFor,
  splitStrand,
  summary,
  usersOf,
} from "../src/document/edit";
import { type Motion, paramAt, putAt, valueAt } from "../src/document/place";
import { references } from "../src/document/refer";
import {
  acts,
  bringAbout,
  choose,
  defaultAt,
  fieldsAt,
  fresh,
  partAt,
  structure,
  within,
} from "../src/document/tree";
import { keepSlips, slipOf } from "../src/playback/slips";

// The catalogue as the core publishes it; ./run test writes it.
const {
  catalogue,
  references: places,
  levered,
} = JSON.parse(readFileSync(new URL("../../build/catalogue.json", import.meta.url), "utf8"));
learn(catalogue);

const bead = (id: string, kind: string, params = {}, settings = {}) => ({
  id,
  kind,
  params,
  settings,
  muted: false,
});
const strand = (id: string, ...beads: unknown[]) => ({
  id,
  name: id.toUpperCase(),
  beads,
  note: "",
  folded: false,
  muted: false,
  solo: false,
});
const entry = (id: string) => ({ strand: id, bead: null, tint: [1, 1, 1], gain: 1 });

function effect(change: (d: Effect) => void = () => {}): Effect {
  const plain = structuredClone(catalogue.defaults) as Effect;
  plain.strands = [
    strand("mist", bead("uv", "uv"), bead("n", "noise")),
    strand("cut", bead("t", "tap", { from: { strand: "mist", bead: "n" } }), bead("c", "threshold")),
    strand("near", bead("d", "beacon-distance", {}, { beacon: "buoy" })),
    strand("photo", bead("uv", "uv"), bead("i", "image", {}, { picture: "bay" })),
  ] as unknown as Effect["strands"];
  plain.beacons = [{ id: "buoy", name: "Buoy", position: [0, 1, 0], yaw: 0, pitch: 90 }];
  plain.assets = [{ id: "bay", name: "bay.png", hash: "a".repeat(64), width: 2, height: 2 }];
  return produce(plain, change);
}

describe("what stands at a place", () => {
  test("goes back to the default of that very place", () => {
    expect(defaultAt("stage/lamps/key/yaw")).toBe(40);
    expect(defaultAt("stage/lamps/fill/yaw")).toBe(-55);
    expect(defaultAt("stage/neighbours/ball/radius")).toBe(0.45);
    expect(defaultAt("stage/neighbours/post/radius")).toBe(0.16);
    const changed = effect((d) => {
      putAt(d, "stage/lamps/key/yaw", 7);
      putAt(d, "stage/lamps/key/yaw", undefined);
      putAt(d, "beacons/buoy/pitch", 3);
      putAt(d, "beacons/buoy/pitch", undefined);
      putAt(d, "strands/mist/n/scale", 9);
    });
    expect(changed.stage.lamps.key.yaw).toBe(40);
    expect(changed.beacons[0].pitch).toBe(90);
    expect(valueAt(changed, "strands/mist/n/scale")).toBe(9);
  });

  test("a channel's entry and a number of the same name are told apart", () => {
    const d = effect((x) => {
      x.surface.channels.film = [{ ...entry("mist"), gain: 0.4 }];
      x.surface.film = 320;
    });
    expect(valueAt(d, "surface/film")).toBe(320);
    expect(valueAt(d, "surface/film/0/gain")).toBe(0.4);
    expect(paramAt(d, "surface/film")?.unit).toBe("nm");
  });

  test("is held within the hard range of its place", () => {
    expect(within("stage/camera/pitch", 120)).toBe(89);
    expect(within("stage/path/0/radius", 0)).toBe(0.001);
  });
});

describe("references", () => {
  const all = effect((d) => {
    d.surface.channels.roughness = [
      entry("mist"),
      entry("cut"),
    ] as Effect["surface"]["channels"]["roughness"];
    d.surface.channels.displacement = [entry("mist")];
    d.surface.second = {
      ...structuredClone(catalogue.defaults.surface),
      strand: "mist",
      bead: null,
      front: [1, 1, 1],
      front_gain: 0,
      front_width: 0.5,
    } as unknown as NonNullable<Effect["surface"]["second"]>;
    d.surface.second!.channels.base = [entry("cut")];
    d.stage.backdrop.picture = "bay";
  });

  test("are those that the core finds", () => {
    for (const { document, found } of places as { document: Effect; found: string[] }[])
      expect(
        references(structuredClone(document))
          .map((r) => `${r.place} ${r.kind} ${r.id} ${r.gone}`)
          .sort(),
      ).toEqual(found.sort());
  });

  test("go with the strand they point at, wherever they are", () => {
    const left = produce(all, (d) => deleteStrand(d, "mist"));
    expect(left.surface.channels.roughness.map((e) => e.strand)).toEqual(["cut"]);
    expect(left.surface.channels.displacement).toEqual([]);
    expect(left.surface.second).toBeNull();
    expect(left.strands[0].beads[0].params).toEqual({});
    expect(references(structuredClone(left)).every((r) => r.id !== "mist")).toBe(true);
  });

  test("to a beacon go on from the first that is left", () => {
    const left = produce(all, (d) => deleteBeacon(d, "buoy"));
    expect(left.strands[2].beads[0].settings.beacon).toBe("");
  });

  test("tell who uses a strand", () => {
    expect(usersOf(all, "mist")).toEqual({
      strands: ["CUT"],
      channels: ["second surface", "roughness", "displacement"],
    });
    expect(usersOf(all, "cut").channels).toContain("base colour of the second surface");
  });

  test("travel with what is copied, under ids that are free", () => {
    const clip = clipStrand(all, "near");
    expect(clip.beacons.map((b) => b.id)).toEqual(["buoy"]);
    const other = effect((d) => {
      d.strands = [];
      d.beacons = [{ id: "buoy", name: "Another", position: [5, 0, 0], yaw: 0, pitch: 0 }];
      d.assets = [];
    });
    const pasted = produce(other, (d) => {
      paste(d, clip, { strand: null, row: 0, column: 0 });
      paste(d, clipStrand(all, "photo"), { strand: null, row: 0, column: 0 });
    });
    expect(pasted.beacons.map((b) => b.id)).toEqual(["buoy", "buoy-2"]);
    const near = pasted.strands.find((s) => s.id === "near")!;
    expect(near.beads[0].settings.beacon).toBe("buoy-2");
    expect(pasted.assets.map((a) => a.name)).toEqual(["bay.png"]);
  });

  test("a strand is duplicated with copies of all that it goes on from, and of nothing else", () => {
    let id = "";
    const made = produce(all, (d) => {
      id = duplicateWhole(d, "cut");
    });
    const uses = (strand: string) =>
      references(made)
        .filter((r) => r.kind === "strand" && r.place.startsWith(`strands/${strand}/`))
        .map((r) => r.id);
    const fresh = made.strands.filter((s) => !all.strands.some((o) => o.id === s.id)).map((s) => s.id);
    expect(fresh).toContain(id);
    expect(fresh.length).toBeGreaterThan(1);
    for (const s of fresh) for (const used of uses(s)) expect(fresh).toContain(used);
    expect(made.surface).toEqual(all.surface);
  });
});

describe("when something acts", () => {
  const field = (name: string) => fieldsAt("surface").find((f) => f.name === name)!;

  test("roughness acts on a lit surface or a clear body", () => {
    const d = effect();
    expect(acts(d, d.surface, field("roughness"))).toBe(false);
    const clear = produce(d, (x) => choose(x, "surface/body", "hollow"));
    expect(acts(clear, clear.surface, field("roughness"))).toBe(true);
    const lit = produce(d, (x) => bringAbout(x, "surface", field("roughness").acts[0]));
    expect(lit.surface.lighting).toBe("lit");
  });

  test("choosing a body lets what is behind it be seen, and leaves an opacity that was set", () => {
    expect(produce(effect(), (d) => choose(d, "surface/body", "filled")).surface.opacity).toBe(0);
    const set = effect((d) => {
      d.surface.opacity = 0.7;
    });
    expect(produce(set, (d) => choose(d, "surface/body", "filled")).surface.opacity).toBe(0.7);
  });
});

describe("the structure of a document", () => {
  const same = (a: Effect, b: Effect) => structure(a) === structure(b);
  const two = effect((d) => {
    d.surface.second = { strand: "mist", bead: null, front_gain: 0 } as NonNullable<
      Effect["surface"]["second"]
    >;
    d.surface.second.channels = structuredClone(catalogue.defaults.surface.channels);
  });

  test.each([
    ["surface/second/front_gain", 3],
    ["surface/roughness", 0.1],
    ["stage/camera/yaw", 30],
    ["stage/exposure", 1],
    ["stage/size", 2],
    ["strands/mist/n/scale", 7],
    ["stage/lamps/key/colour", [1, 0, 0]],
  ])("stays while %s is dragged", (place, value) => {
    expect(
      same(
        two,
        produce(two, (d) => putAt(d, place, value)),
      ),
    ).toBe(true);
  });

  test.each([
    ["surface/film", 300],
    ["surface/lighting", "lit"],
    ["stage/shape", "ball"],
    ["stage/neighbours/floor/on", true],
    ["stage/bloom/radius", 2],
    ["surface/roughness", { motion: "drift", cycles: 1, base: 0 }],
    ["strands/mist/n/scale", { strand: "cut", bead: null }],
  ])("changes with %s", (place, value) => {
    expect(
      same(
        two,
        produce(two, (d) => putAt(d, place, value)),
      ),
    ).toBe(false);
  });
});

describe("in a few words", () => {
  const said = (kind: string, params = {}, settings = {}) =>
    summary(effect(), bead("x", kind, params, settings) as unknown as Effect["strands"][0]["beads"][0]);

  test("a bead tells what it brings in by the names that people gave", () => {
    expect(said("tap", { from: { strand: "mist", bead: "n" } })).toBe("MIST · noise");
    expect(said("tap", { from: { strand: "mist", bead: null } })).toBe("MIST");
    expect(said("tap")).toBe("tap");
    expect(said("blend", { top: { strand: "cut", bead: null } }, { mode: "screen" })).toBe("screen CUT");
    expect(said("blend")).toBe("multiply");
  });

  test("a bead tells its numbers, and what moves them", () => {
    expect(said("tile")).toBe("tile 2 · 2");
    expect(said("tile", { count: [3, 1.5] })).toBe("tile 3 · 1.5");
    expect(said("tile", { count: [3, 1, 4] })).toBe("tile 3 · 1 · 4");
    expect(said("tile", { count: { motion: "drift", cycles: [1, 2], base: null } })).toBe("tile drift 1 · 2");
    expect(said("noise")).toBe("noise");
  });

  test("a motion is told by the numbers that matter", () => {
    const sway = { motion: "sway", amount: 0.25, cycles: 1, start: 0, base: null };
    const keys = { motion: "keys", keys: [0, 0.5].map((phase) => ({ phase, value: 1, ease: "eased" })) };
    expect([sway, keys].map((m) => inWords(m as unknown as Motion))).toEqual(["sway ±0.25", "2 keys"]);
  });
});

describe("a strand that nobody named", () => {
  const plain = (kind: string, params = {}) => ({ kind, settings: {}, params, muted: false });
  const named = (d: Effect) => d.strands.map((s) => s.name);

  test("is called after the first bead that makes something, once", () => {
    let made = { strand: "", bead: "" };
    const one = effect((d) => {
      made = addBeads(d, { strand: null, at: 0 }, [plain("uv"), plain("noise")] as never);
    });
    expect(named(one).at(-1)).toBe("Noise");
    expect(one.strands.at(-1)!.beads.map((b) => b.kind)).toEqual(["uv", "noise"]);
    expect(made.bead).toBe(one.strands.at(-1)!.beads[1].id);
    const two = produce(
      one,
      (d) => void addBeads(d, { strand: made.strand, at: 2 }, [plain("threshold")] as never),
    );
    expect(named(two).at(-1)).toBe("Noise");
    const again = produce(
      two,
      (d) => void addBeads(d, { strand: null, at: 0 }, [plain("uv"), plain("noise")] as never),
    );
    expect(named(again).at(-1)).toBe("Noise 2");
  });

  test("is called after where it goes on from, until somebody names it", () => {
    const from = plain("tap", { from: { strand: "mist", bead: null } });
    let id = "";
    const one = effect((d) => {
      id = addBeads(d, { strand: null, at: 0 }, [from] as never).strand;
    });
    expect(named(one).at(-1)).toBe("On from MIST");
    const two = produce(one, (d) => void addBeads(d, { strand: id, at: 1 }, [plain("contrast")] as never));
    expect(named(two).at(-1)).toBe("Contrast of MIST");
    const own = produce(two, (d) => {
      d.strands.at(-1)!.name = "Rim light";
      addBeads(d, { strand: id, at: 2 }, [plain("invert")] as never);
    });
    expect(named(own).at(-1)).toBe("Rim light");
    expect(nameFor(own, own.strands[0])).toBe("Noise");
  });
});

describe("a strand that is split", () => {
  test("goes on from where it was, and its users find what moved", () => {
    const whole = effect((d) => {
      d.strands.splice(0, d.strands.length);
      for (const s of [
        strand("a", bead("uv", "uv"), bead("n", "noise"), bead("c", "contrast"), bead("i", "invert")),
        strand("b", bead("t", "tap", { from: { strand: "a", bead: "c" } })),
        strand("e", bead("t", "tap", { from: { strand: "a", bead: null } })),
        strand("f", bead("t", "tap", { from: { strand: "a", bead: "n" } })),
      ])
        d.strands.push(s as never);
    });
    let id = "";
    const split = produce(whole, (d) => {
      id = splitStrand(d, "a", "c");
    });
    expect(split.strands.map((s) => s.id)).toEqual(["a", id, "b", "e", "f"]);
    expect(split.strands[0].beads.map((b) => b.id)).toEqual(["uv", "n"]);
    expect(split.strands[1].beads.slice(1).map((b) => b.id)).toEqual(["c", "i"]);
    expect(split.strands[1].beads[0].params.from).toEqual({ strand: "a", bead: null });
    const from = split.strands.slice(2).map((s) => s.beads[0].params.from);
    expect(from).toEqual([
      { strand: id, bead: "c" },
      { strand: id, bead: null },
      { strand: "a", bead: "n" },
    ]);
    // Before its first bead there is nothing to split off.
    expect(produce(whole, (d) => void splitStrand(d, "a", "uv"))).toEqual(whole);
  });
});

describe("a lever", () => {
  test("makes of a number what the core does", () => {
    expect(new Set(levered.map((x: { way: string }) => x.way))).toEqual(new Set(Object.keys(LEVERED)));
    for (const { given, way, made } of levered) {
      const makes = LEVERED[way as keyof typeof LEVERED];
      expect(makes(...(given as Parameters<typeof makes>))).toBeCloseTo(made, 5);
    }
  });

  test("that gives a speed leaves the pattern where it is", () => {
    const value = { lever: "l", low: 0, high: 4, ease: "linear", rate: true };
    const at = (speed: number) =>
      effect((d) => {
        d.strands = [
          strand("s", bead("uv", "uv"), bead("turn", "rotate", { angle: value })),
        ] as unknown as Effect["strands"];
        d.levers = [
          { id: "l", name: "L", kind: "number", value: speed, least: 0, most: 4 },
        ] as unknown as Effect["levers"];
      });
    const compiled = { uniforms: [{ place: "strands/s/turn/angle/slip", name: "u9" }] } as never;
    const place = "strands/s/turn/angle";
    const where = (speed: number, phase: number) => speed * phase + slipOf(place)![0];
    keepSlips(at(1), compiled, 0.1, true, {});
    expect(slipOf(place)).toEqual([0]);
    keepSlips(at(3), compiled, 0.5, true, {});
    expect(where(3, 0.5)).toBeCloseTo(0.5);
    keepSlips(at(2), compiled, 0.75, true, {});
    expect(where(2, 0.75)).toBeCloseTo(0.5 + 3 * 0.25);
    // A signal has the last word, and whole rounds close.
    keepSlips(at(2), compiled, 0.8, true, { l: 3.4 });
    expect(where(3, 0.8)).toBeCloseTo(1.25 + 2 * 0.05);
    // Standing still it is what a bake has.
    keepSlips(at(4), compiled, 0.8, false, {});
    expect(slipOf(place)).toEqual([0]);
  });
});

test("a thing of a list is found, changed and called by its name", () => {
  const objects = "stage/neighbours/objects";
  const given = effect((d) => {
    d.stage.neighbours.objects.push({ ...fresh(`${objects}/0`), id: "crate", name: "Crate" } as never);
  });
  expect(partAt(given, `${objects}/crate`)?.name).toBe("Crate");
  expect(partAt(given, `${objects}/0`)?.name).toBe("Crate");
  expect(partAt(given, `${objects}/barrel`)).toBeUndefined();
  expect(inPeoplesWords(given, `${objects}/crate/position`)).toBe("Crate · position");
  expect(inPeoplesWords(given, "stage/neighbours/floor/height")).toBe("stage · neighbours · floor · height");
  const after = produce(given, (d) => putAt(d, `${objects}/crate/form`, "ball"));
  expect(after.stage.neighbours.objects[0].form).toBe("ball");
  // Another form is another program, another place is not.
  expect(structure(after)).not.toBe(structure(given));
  expect(structure(produce(given, (d) => putAt(d, `${objects}/crate/position`, [0, 0, 0])))).toBe(
    structure(given),
  );
});
