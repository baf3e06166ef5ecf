import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client } from "../api/client";
import { assetOf, PictureControl } from "../bead/picture";
import { edit, useEditor } from "../document/editor";
import { choose } from "../document/tree";
import { FieldRow, fieldOf } from "../field";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "./drawing";

const PLACE = "stage/sky/picture";

/** Light from all round: the sky's colours, a panorama that comes with Whorl, or one of the artist's own. */
export function SurroundingsPanel({ loop }: { loop: Loop }) {
  const [wrong, setWrong] = useState("");
  const [own, setOwn] = useState(false);
  const chosen = useEditor((s) => s.document.stage.sky.picture);
  const name = useEditor((s) => s.document.assets.find((a) => a.id === chosen)?.name);
  const { data } = useQuery({
    queryKey: ["panoramas"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => answered(client.GET("/api/panoramas")),
  });
  const take = async (slug: string, called: string) => {
    try {
      const got = await answered(client.POST("/api/panoramas/{slug}", { params: { path: { slug } } }));
      setWrong("");
      edit((d) => choose(d, PLACE, assetOf(d, got, called)));
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    }
  };
  return (
    <Box data-testid="surroundings" mt="2">
      <Text fontWeight="600" mb="1" title={fieldOf("stage/sky", "picture").words}>
        Surroundings
      </Text>
      <Flex gap="2" wrap="wrap" role="radiogroup" aria-label="Surroundings">
        <button
          type="button"
          role="radio"
          aria-checked={!chosen}
          className="picture"
          title="The three colours of the sky"
          onClick={() => edit((d) => choose(d, PLACE, ""))}
        >
          <span className="picture-none" />
          <span className="picture-name">sky colours</span>
        </button>
        {(data ?? []).map((p) => (
          <button
            key={p.slug}
            type="button"
            role="radio"
            aria-checked={p.name === name}
            className="picture"
            title={p.words}
            onClick={() => void take(p.slug, p.name)}
          >
            <img src={`/api/panoramas/${p.slug}/small.png`} alt="" />
            <span className="picture-name">{p.name}</span>
          </button>
        ))}
      </Flex>
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
      <details onToggle={(e) => setOwn(e.currentTarget.open)}>
        <summary>a panorama of your own</summary>
        {own && <PictureControl value={chosen} onChoose={(d, id) => choose(d, PLACE, id)} />}
      </details>
      {chosen && (
        <FieldRow narrow place="stage/sky" field={fieldOf("stage/sky", "turn")} source={loop.source} />
      )}
    </Box>
  );
}
