import { Button, Flex, Text } from "@chakra-ui/react";
import { ImagePlus, Replace } from "lucide-react";
import { useRef } from "react";
import { useBringing } from "../api/bring";
import type { Effect, Schema } from "../api/client";
import { freshId } from "../document/edit";
import { edit, useEditor } from "../document/editor";

const FILES = ".png,.jpg,.jpeg,.webp,.exr,.hdr";

type Props = { value: string; onChoose: (draft: Effect, id: string) => void };

/** The effect's own name of a picture that is kept, which it now brings in if it did not. */
export function assetOf(draft: Effect, got: Schema["StoredPicture"], name: string): string {
  const there = draft.assets.find((a) => a.hash === got.hash);
  if (there) return there.id;
  const id = freshId(
    name.replace(/\.[^.]*$/, ""),
    draft.assets.map((a) => a.id),
  );
  draft.assets.push({ id, name, hash: got.hash, width: got.width, height: got.height });
  return id;
}

/** The pictures of the effect, one of which is chosen; more are brought in from files, or dropped here. */
export function PictureControl({ value, onChoose }: Props) {
  const assets = useEditor((s) => s.document.assets);
  const input = useRef<HTMLInputElement>(null);
  const { bring, busy, wrong } = useBringing<Schema["StoredPicture"]>("/api/assets", (got, name) =>
    edit((d) => {
      onChoose(d, assetOf(d, got, name));
    }),
  );
  const swap = useRef<HTMLInputElement>(null);
  const shown = assets.find((a) => a.id === value);
  // Whatever refers to a picture does so by its id, so it is another picture everywhere at once.
  const other = useBringing<Schema["StoredPicture"]>("/api/assets", (got, name) =>
    edit((d) => {
      const asset = d.assets.find((a) => a.id === value);
      if (asset) Object.assign(asset, { name, hash: got.hash, width: got.width, height: got.height });
    }),
  );
  return (
    <Flex
      direction="column"
      gap="1.5"
      mb="2"
      data-testid="pictures"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        void bring(e.dataTransfer.files[0]);
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
            title={`${a.name}, ${a.width} × ${a.height}`}
            onClick={() => edit((d) => onChoose(d, a.id))}
          >
            <img src={`/api/assets/${a.hash}/small.png`} alt="" />
            <span className="picture-name">{a.name}</span>
          </button>
        ))}
        <Button size="xs" variant="outline" loading={busy} onClick={() => input.current?.click()}>
          <ImagePlus size={14} /> bring in a picture
        </Button>
        {shown && (
          <Button
            size="xs"
            variant="outline"
            loading={other.busy}
            title="Wherever it is used, in one step"
            onClick={() => swap.current?.click()}
          >
            <Replace size={14} /> replace {shown.name} everywhere
          </Button>
        )}
        <input
          ref={swap}
          type="file"
          hidden
          accept={FILES}
          data-testid="picture-instead"
          onChange={(e) => {
            void other.bring(e.target.files?.[0]);
            e.target.value = "";
          }}
        />
        <input
          ref={input}
          type="file"
          hidden
          accept={FILES}
          data-testid="picture-file"
          onChange={(e) => {
            void bring(e.target.files?.[0]);
            e.target.value = "";
          }}
        />
      </Flex>
      {(wrong || other.wrong) && (
        <Text color="coral" role="alert">
          {wrong || other.wrong}
        </Text>
      )}
      {assets.length === 0 && !wrong && (
        <Text color="mist">
          PNG, JPEG, WebP, OpenEXR or HDR; it travels with the effect when that is exported.
        </Text>
      )}
    </Flex>
  );
}
