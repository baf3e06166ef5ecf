import { useQuery } from "@tanstack/react-query";
import { answered, type BeadInfo, client, type ParamInfo, type Schema } from "./client";

type Catalogue = Schema["Catalogue"];
export type FieldInfo = Schema["FieldInfo"];

let known: Catalogue;
let kinds: Record<string, BeadInfo> = {};

/** Takes a catalogue in; everything else may then ask for its parts. */
export function learn(catalogue: Catalogue): Catalogue {
  known = catalogue;
  kinds = Object.fromEntries(catalogue.beads.map((b) => [b.kind, b]));
  return catalogue;
}

/** Loads the catalogue. */
export function useCatalogue() {
  return useQuery({
    queryKey: ["catalogue"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => learn(await answered(client.GET("/api/catalogue"))),
  });
}

export const kindOf = (kind: string): BeadInfo | undefined => kinds[kind];
export const allKinds = (): BeadInfo[] => Object.values(kinds);
/** What the fields of a part of the document say of themselves. */
export const fieldsOf = (part: string): FieldInfo[] => known.parts[part] ?? [];
/** The param of a number of a part that stands in no place of its own, such as a stop of a ramp. */
export const paramOf = (part: string, name: string): ParamInfo =>
  fieldsOf(part).find((f) => f.name === name)!.param!;
/** The document as it is when nothing has been set. */
export const defaults = () => known.defaults;
export const motions = () => known.motions;
export const readyStages = () => known.stages;
/** A made-up figure for the stage, as the objects it is built of. */
export const figure = () => known.figure;
export const tries = () => ({ conditions: known.conditions, shapes: known.on_shapes });
export const unseen = () => known.unseen;
export const shapes = () => known.shapes;
/** A number that people are asked for and the document does not keep. */
export const asked = (name: string): ParamInfo => known.asked[name];
/** How strong a colour may be. */
export const colourStrength = () => known.strength;
/** The field in which a lever of a kind stands, and the one that it rests at. */
export const leverHolds = (kind: string): string[] => known.lever_holds[kind];
/** All fields in which levers stand, of whatever kind they are. */
export const leverStands = (): Set<string> =>
  new Set(Object.values(known.lever_holds).map(([stands]) => stands));
/** How bad findings may be, the worst first. */
export const gravity = () => known.gravity;
export const stills = () => known.stills;
export const videos = () => known.videos;
export const layers = () => known.layers;
export const languages = () => known.languages;
/** The forms that an effect can be handed over in, and who takes it. */
export const forms = () => known.forms;
export const receivers = () => known.receivers;
/** The bead that goes on from another strand, or from one bead of it. */
export const goingOn = (strand: string, bead: string | null) => {
  const kind = Object.values(kinds).find((k) => k.goes_on)!;
  return { kind: kind.kind, settings: {}, params: { [kind.brings!.name]: { strand, bead } }, muted: false };
};
export const cameraNumbers = () => known.camera;

/** What of a stage a ready one sets; shape and camera stay. */
export function setBy({ lamps, sky, backdrop, exposure, neighbours }: Schema["ReadyStage"]) {
  return { lamps, sky, backdrop, exposure, ...(neighbours && { neighbours }) };
}

/** All params of a kind of bead, the strand it brings in among them. */
export function inputsOf(kind: BeadInfo): ParamInfo[] {
  return kind.brings ? [kind.brings, ...kind.params] : kind.params;
}
