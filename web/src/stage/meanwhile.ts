import { client, type Effect } from "../api/client";

/** The largest picture that is asked for, in pixels a side: it has to come before the driver is done. */
const LARGEST = 256;

/**
 * The server's picture of a moment of an effect, which stands in while the graphics driver still makes a program: the
 * server works out the same bead by bead, and needs none. Null if it cannot, or is told that it is too late.
 */
export async function meanwhile(
  effect: Effect,
  phase: number,
  room: number,
  late: AbortSignal,
): Promise<Blob | null> {
  const size = Math.max(16, Math.min(LARGEST, Math.round(room / 2)));
  const body = { document: effect as unknown as Record<string, unknown>, phase, size, peek: null };
  try {
    const { data } = await client.POST("/api/frame.png", { body, parseAs: "blob", signal: late });
    return late.aborted ? null : ((data as Blob | undefined) ?? null);
  } catch {
    return null;
  }
}
