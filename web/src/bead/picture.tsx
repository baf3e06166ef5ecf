import { Button } from "@chakra-ui/react";
import { Film, ImagePlus, Replace } from "lucide-react";
import { useRef, useState } from "react";
import { answered, client, type Effect, type Schema, sendFile } from "../api/client";
import { freshId } from "../document/edit";
import { edit, useEditor } from "../document/editor";
import { fieldsAt, fresh } from "../document/tree";
import { FieldPick } from "../field-pick";
import { Flex, Text } from "../plain";

const FILES = ".png,.jpg,.jpeg,.webp,.exr,.hdr,.mp4,.mov,.webm,.gif,.zip";

type Props = { value: string; onChoose: (draft: Effect, id: string) => void };
type Stored = Schema["StoredPicture"];

/** The effect's own name of a picture that is kept, which it now brings in if it did not. */
export function assetOf(draft: Effect, got: Stored, name: string): string {
  const there = draft.assets.find((a) => a.hash === got.hash);
  if (there) return there.id;
  const id = freshId(
    name.replace(/\.[^.]*$/, ""),
    draft.assets.map((a) => a.id),
  );
  const { hash, width, height, frames } = got;
  draft.assets.push({
    ...fresh<Effect["assets"][number]>("assets/0"),
    id,
    name,
    hash,
    width,
    height,
    frames,
  });
  return id;
}

/** A picture from a file, or a sequence from several numbered ones. */
async function brought(files: File[]): Promise<[Stored, string]> {
  const names = files.map((f) => f.name.slice(-120));
  const kept: Stored[] = [];
  for (const file of files) kept.push(await sendFile<Stored>("/api/assets", file));
  if (files.length === 1) return [kept[0], names[0]];
  const body = { files: kept.map(({ hash }, i) => ({ hash, name: names[i] })) };
  const made = await answered(client.POST("/api/sequences", { body }));
  return [made, made.name ?? names[0]];
}

/** The pictures of the effect, one of which is chosen; more are brought in from files, or dropped here. */
export function PictureControl({ value, onChoose }: Props) {
  const assets = useEditor((s) => s.document.assets);
  const input = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState("");
  const [wrong, setWrong] = useState("");
  const [instead, setInstead] = useState(false);
  const shown = assets.find((a) => a.id === value);
  const take = async (files: File[], replacing: boolean) => {
    if (files.length === 0) return;
    setBusy(replacing ? "instead" : "more");
    setWrong("");
    try {
      const [got, name] = await brought(files);
      edit((d) => {
        if (!replacing) return onChoose(d, assetOf(d, got, name));
        // Whatever refers to a picture does so by its id, so it is another picture everywhere at once.
        const asset = d.assets.find((a) => a.id === value);
        const { hash, width, height, frames } = got;
        if (asset) Object.assign(asset, { name, hash, width, height, frames });
      });
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy("");
    }
  };
  const choose = (replacing: boolean) => {
    setInstead(replacing);
    input.current?.click();
  };
  return (
    <Flex
      direction="column"
      gap="1.5"
      mb="2"
      data-testid="pictures"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        void take([...e.dataTransfer.files], false);
      }}
    >
      <Flex gap="2" wrap="wrap" align="center" role="radiogroup" aria-label="Picture">
        {assets.map((a) => (
          <button
            key={a.id}
            type="button"
            role="radio"
            aria-checked={a.id === value}
            className="picture"
            title={`${a.name}, ${a.width} × ${a.height}${(a.frames ?? 1) > 1 ? `, ${a.frames} frames` : ""}`}
            onClick={() => edit((d) => onChoose(d, a.id))}
          >
            <img src={`/api/assets/${a.hash}/small.png`} alt="" />
            <span className="picture-name">{a.name}</span>
          </button>
        ))}
        <Button size="xs" variant="outline" loading={busy === "more"} onClick={() => choose(false)}>
          <ImagePlus size={14} /> bring in a picture
        </Button>
        {shown && (
          <Button
            size="xs"
            variant="outline"
            loading={busy === "instead"}
            title="Wherever it is used, in one step"
            onClick={() => choose(true)}
          >
            <Replace size={14} /> replace {shown.name} everywhere
          </Button>
        )}
        <input
          ref={input}
          type="file"
          hidden
          multiple
          accept={FILES}
          data-testid="picture-file"
          onChange={(e) => {
            void take([...(e.target.files ?? [])], instead);
            e.target.value = "";
          }}
        />
      </Flex>
      {shown && (shown.frames ?? 1) > 1 && <Playing id={shown.id} frames={shown.frames!} />}
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
      {assets.length === 0 && !wrong && (
        <Text color="mist">
          PNG, JPEG, WebP, OpenEXR or HDR; or a sequence that plays: several numbered ones, a zip of them, a
          video or an animation. It travels with the effect when that is exported.
        </Text>
      )}
    </Flex>
  );
}

/** How a sequence plays, wherever it is used. */
function Playing({ id, frames }: { id: string; frames: number }) {
  const place = `assets/${id}`;
  return (
    <Flex align="center" gap="3" wrap="wrap" color="mist" data-testid="sequence">
      <Flex align="center" gap="1">
        <Film size={14} /> {frames} frames
      </Flex>
      {fieldsAt("assets")
        .filter((f) => f.kind === "choice" || (f.kind === "whole" && f.name !== "frames"))
        .map((f) => (
          <Flex key={f.name} align="center" gap="2" title={f.words}>
            {f.label}
            <FieldPick place={place} field={f} />
            {f.param?.unit}
          </Flex>
        ))}
    </Flex>
  );
}
