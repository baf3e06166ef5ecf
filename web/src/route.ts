import { useSyncExternalStore } from "react";

/** Two pages: the shelf at "/", and an effect's studio at "/effect/<id>". */
export function useRoute(): { page: "shelf" } | { page: "studio"; id: string } {
  const path = useSyncExternalStore(
    (changed) => {
      window.addEventListener("popstate", changed);
      return () => window.removeEventListener("popstate", changed);
    },
    () => window.location.pathname,
  );
  const id = /^\/effect\/([^/]+)/.exec(path)?.[1];
  return id ? { page: "studio", id: decodeURIComponent(id) } : { page: "shelf" };
}

export function go(path: string) {
  window.history.pushState(null, "", path);
  window.dispatchEvent(new PopStateEvent("popstate"));
}
