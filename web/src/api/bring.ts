import { useState } from "react";
import { sendFile } from "./client";

/** Brings files in at a place of the API; what is refused is told in words. */
export function useBringing<T>(url: string, keep: (got: T, name: string) => void) {
  const [wrong, setWrong] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const bring = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    setWrong(null);
    try {
      keep(await sendFile<T>(url, file), file.name.slice(0, 120));
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(false);
    }
  };
  return { bring, busy, wrong };
}
