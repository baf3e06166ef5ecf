import { Button, Link } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { languages } from "../api/catalogue";
import { answered, client, type Schema } from "../api/client";
import type { paths } from "../api/schema.gen";
import { useEditor } from "../document/editor";
import { Pick as PickOne } from "../pick";
import { Box, Flex, Text } from "../plain";
import { Check, Count, freshOf, Kinds, Row, Way } from "./parts";

type Form = Schema["FormInfo"];
/** How a form is asked for, as its address takes it. */
type Asked = Required<
  NonNullable<paths["/api/effects/{id}/handed/{form}.zip"]["get"]["parameters"]["query"]>
>;
type MapsOptions = Pick<Asked, "size" | "frames" | "over" | "green" | "kind">;
type SceneOptions = Pick<Asked, "size" | "frames">;

/** A form that is made while one waits: how, a look at it, and the file. */
export function Made({ form }: { form: Form }) {
  const id = useEditor((s) => s.id);
  const saving = useEditor((s) => s.saving.state);
  const [maps, setMaps] = useState(freshOf<MapsOptions>("MapsOptions"));
  const [scene, setScene] = useState(freshOf<SceneOptions>("SceneOptions"));
  const [chosen, setChosen] = useState(languages().map((l) => l.kind));
  const [working, setWorking] = useState(false);
  const [refused, setRefused] = useState("");
  const asked = new URLSearchParams();
  const isScene = !["maps", "code", "page"].includes(form.key);
  if (form.key === "maps")
    for (const name of ["size", "frames", "over", "green", "kind"] as const)
      asked.set(name, String(maps[name]));
  else if (form.key === "code") for (const kind of chosen) asked.append("language", kind);
  else if (isScene) for (const name of ["size", "frames"] as const) asked.set(name, String(scene[name]));
  const path =
    form.key === "page"
      ? `/api/effects/${id}/page.html`
      : `/api/effects/${id}/handed/${form.key}.zip?${asked}`;
  /** Asked for here, so that it can be said while it is made, and what is refused. */
  const save = async () => {
    setWorking(true);
    setRefused("");
    try {
      const got = await fetch(path);
      if (!got.ok) throw new Error(((await got.json()) as Schema["Told"]).words);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(await got.blob());
      link.download = form.key === "page" ? `${id}.html` : `${id}-${form.key}.zip`;
      link.click();
      URL.revokeObjectURL(link.href);
    } catch (e) {
      setRefused(e instanceof Error ? e.message : String(e));
    }
    setWorking(false);
  };
  return (
    <Box>
      {form.key === "maps" && (
        <>
          <Row label="laid over">
            <Way
              part="MapsOptions"
              name="over"
              label="Maps over"
              value={maps.over}
              onChange={(v) => setMaps({ ...maps, over: v as MapsOptions["over"] })}
            />
            <Text color="mist">green</Text>
            <Way
              part="MapsOptions"
              name="green"
              value={maps.green}
              onChange={(v) => setMaps({ ...maps, green: v as MapsOptions["green"] })}
            />
            <Text color="mist">as</Text>
            <Way
              part="MapsOptions"
              name="kind"
              value={maps.kind}
              onChange={(v) => setMaps({ ...maps, kind: v as MapsOptions["kind"] })}
            />
          </Row>
          <Fineness
            label="size"
            frames="frames on a map"
            words="frames of the turn on each"
            value={maps}
            onChange={(some) => setMaps({ ...maps, ...some })}
          />
        </>
      )}
      {form.key === "code" && (
        <Row label="languages">
          <Kinds kinds={languages()} chosen={chosen} onChange={setChosen} />
        </Row>
      )}
      {isScene && (
        <Fineness
          label="maps of"
          frames="phases of the turn"
          words="at so many phases of the turn"
          value={scene}
          onChange={(some) => setScene({ ...scene, ...some })}
        />
      )}
      <Flex align="center" gap="4" my="3" wrap="wrap">
        <Button
          rounded="full"
          size="sm"
          bg="glass"
          color="ink"
          disabled={saving !== "saved" || working || (form.key === "code" && chosen.length === 0)}
          onClick={() => void save()}
          data-testid="save-form"
        >
          {saving !== "saved" ? "Saving first …" : working ? "Making it …" : "Save"}
        </Button>
        {form.key === "page" && (
          <Link href={`/api/effects/${id}/handed/page.zip`} color="glass" download>
            as an element of a page of your own
          </Link>
        )}
        {refused && (
          <Text color="coral" role="alert">
            {refused}
          </Text>
        )}
      </Flex>
      {saving === "saved" && <Look id={id} form={form.key} over={maps.over} />}
    </Box>
  );
}

/** How large maps are, and of how many phases. */
function Fineness(props: {
  label: string;
  frames: string;
  words: string;
  value: SceneOptions;
  onChange: (some: Partial<SceneOptions>) => void;
}) {
  const { label, frames, words, value, onChange } = props;
  return (
    <Row label={label}>
      <Count
        part="SceneOptions"
        name="size"
        label="side of a map"
        value={value.size}
        onChange={(size) => onChange({ size })}
      />
      <Text color="mist">pixels</Text>
      <Count
        part="SceneOptions"
        name="frames"
        label={frames}
        words={words}
        value={value.frames}
        onChange={(frames) => onChange({ frames })}
      />
    </Row>
  );
}

/** What it looks like: the page playing, a map beside itself, the code. */
function Look({ id, form, over }: { id: string; form: string; over: string }) {
  if (form === "page")
    return (
      <iframe
        title="the page, playing"
        src={`/api/effects/${id}/page.html?shown=true`}
        sandbox="allow-scripts"
        className="look"
      />
    );
  if (form === "maps") return <MapLook id={id} over={over} />;
  if (form === "code") return <CodeLook id={id} />;
  return null;
}

/** One map, laid out two by two, so that a seam is seen. */
function MapLook({ id, over }: { id: string; over: string }) {
  const [twice, setTwice] = useState(true);
  const source = `/api/effects/${id}/map.png?size=192&over=${over}`;
  const cells = twice ? [0, 1, 2, 3] : [0];
  return (
    <Box>
      <Check checked={twice} onChange={setTwice}>
        beside itself
      </Check>
      <div className={twice ? "tiles twice" : "tiles"} role="img" aria-label="the first of its maps">
        {cells.map((n) => (
          <img key={n} src={source} alt="" />
        ))}
      </div>
    </Box>
  );
}

/** The code as it will be read. */
function CodeLook({ id }: { id: string }) {
  const [language, setLanguage] = useState(languages()[0].title);
  const kind = languages().find((l) => l.title === language)!.kind;
  const got = useQuery({
    queryKey: ["code", id, kind],
    gcTime: 0,
    queryFn: () =>
      answered(
        client.GET("/api/effects/{id}/code.txt", {
          params: { path: { id }, query: { language: kind } },
          parseAs: "text",
        }),
      ),
  });
  return (
    <Box>
      <PickOne
        label="Language shown"
        value={language}
        options={languages().map((l) => l.title)}
        onChange={setLanguage}
      />
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls has to be reached by keys. */}
      <section className="code-look" tabIndex={0} aria-label={`${language} code`}>
        <pre>{(got.data as string | undefined) ?? (got.error ? got.error.message : "writing it …")}</pre>
      </section>
    </Box>
  );
}

/** What of an effect a form carries, carries nearly, and loses. */
export function Becomes({ form }: { form: string }) {
  const id = useEditor((s) => s.id);
  const saving = useEditor((s) => s.saving.state);
  const got = useQuery({
    queryKey: ["handed", id],
    gcTime: 0,
    enabled: saving === "saved",
    queryFn: () => answered(client.GET("/api/effects/{id}/handed", { params: { path: { id } } })),
  });
  const told = got.data?.[form];
  if (!told) return <Text color="mist">{got.error ? got.error.message : "looking what is carried …"}</Text>;
  const list = (title: string, words: string[], colour: string) =>
    words.length > 0 && (
      <Box mb="2">
        <Text as="h3" fontWeight="600" color={colour}>
          {title}
        </Text>
        <ul className="becomes">
          {words.map((w) => (
            <li key={w}>{w}</li>
          ))}
        </ul>
      </Box>
    );
  return (
    <Box fontSize="13px" data-testid="becomes">
      {list("Carried", told.carried, "glass")}
      {list("Nearly", told.nearly, "fog")}
      {list("Lost", told.lost, "coral")}
    </Box>
  );
}
