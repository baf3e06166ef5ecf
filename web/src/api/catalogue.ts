import { useQuery } from "@tanstack/react-query";
import { answered, type BeadInfo, client, type ParamInfo, type Schema } from "./client";

type ReadyStage = Schema["ReadyStage"];

let kinds: Record<string, BeadInfo> = {};
let surface: ParamInfo[] = [];
let stages: ReadyStage[] = [];
let names: string[] = [];

/** Loads the catalogue; everything else may then use `kindOf`. */
export function useCatalogue() {
  return useQuery({
    queryKey: ["catalogue"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const got = await answered(client.GET("/api/catalogue"));
      kinds = Object.fromEntries(got.beads.map((b) => [b.kind, b]));
      surface = got.surface;
      stages = got.stages;
      names = got.shapes;
      return got;
    },
  });
}

export const kindOf = (kind: string): BeadInfo | undefined => kinds[kind];
export const allKinds = (): BeadInfo[] => Object.values(kinds);
export const readyStages = (): ReadyStage[] => stages;
/** What of a stage a ready one sets; shape and camera stay. */
export function setBy({ lamps, sky, backdrop, exposure, neighbours }: ReadyStage) {
  return { lamps, sky, backdrop, exposure, ...(neighbours && { neighbours }) };
}
export const shapes = (): string[] => names;
export const surfaceParam = (name: string): ParamInfo => surface.find((p) => p.name === name)!;

/** The param that a place such as "strands/mist/b5/scale" or "surface/emission/0/gain" names. */
export function inputsOf(kind: BeadInfo): ParamInfo[] {
  return kind.brings ? [kind.brings, ...kind.params] : kind.params;
}
