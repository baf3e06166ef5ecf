import { useEffect } from "react";
import { useCatalogue } from "./api/catalogue";
import { Notice } from "./notice";
import { useRoute } from "./route";
import { Shelf } from "./shelf/shelf";
import { Studio } from "./studio/studio";

export function App() {
  const route = useRoute();
  const catalogue = useCatalogue();
  useEffect(() => {
    if (route.page === "shelf") document.title = "Whorl";
  }, [route.page]);
  if (catalogue.error)
    return (
      <Notice
        title="Whorl's server is not answering"
        action="Try again"
        onAction={() => catalogue.refetch()}
      />
    );
  if (!catalogue.data) return <Notice title="Opening …" />;
  return route.page === "shelf" ? <Shelf /> : <Studio key={route.id} id={route.id} />;
}
