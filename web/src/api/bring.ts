import { useState } from "react";
import type { Told } from "./client";

/** Brings files in at a place of the API; what is refused is told in words. */
export function useBringing<T>(url: string, keep: (got: T, name: string) => void) {
  const [wrong, setWrong] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const bring = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    setWrong(null);
    try {
      const answer = await fetch(url, { method: "POST", body: file });
      const got = await answer.json();
      if (!answer.ok) throw new Error((got as Told).words);
      keep(got as T, file.name.slice(0, 120));
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(false);
    }
  };
  return { bring, busy, wrong };
}
