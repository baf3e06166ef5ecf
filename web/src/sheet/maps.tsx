import { Button } from "@chakra-ui/react";
import { FolderInput } from "lucide-react";
import { useRef, useState } from "react";
import { answered, client, type Schema, sendFile } from "../api/client";
import { sent } from "../document/editor";
import { filesOf } from "../dropped";
import { Framed } from "../framed";
import { Pick } from "../pick";
import { Box, Flex, Text } from "../plain";
import { said, take } from "./splices";

type Proposed = Schema["MapProposed"];
/** Files that pictures are read from. */
const READ = [".png", ".jpg", ".jpeg", ".webp", ".exr", ".hdr", ".zip"];

/** A set of maps: pictures, a folder or a zip, what each is for, and all of them wired in one step. */
export function MapsDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [maps, setMaps] = useState<Proposed[]>([]);
  const [uses, setUses] = useState<string[]>([]);
  const [wrong, setWrong] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const close = () => {
    setMaps([]);
    setWrong([]);
    onClose();
  };
  const bring = async (chosen: File[], fromFolder = false) => {
    setBusy(true);
    const refused: string[] = [];
    // A folder holds other things too, which nobody chose.
    const pictures = fromFolder
      ? chosen.filter((f) => READ.some((end) => f.name.toLowerCase().endsWith(end)))
      : chosen;
    if (fromFolder && pictures.length === 0) refused.push("There is no picture in that folder.");
    for (const file of pictures) {
      try {
        const url = `/api/maps?name=${encodeURIComponent(file.name.slice(-200))}`;
        const made = await sendFile<Schema["MapsProposed"]>(url, file);
        refused.push(...made.refused);
        setUses(made.uses);
        setMaps((was) => [...was.filter((m) => !made.maps.some((n) => n.hash === m.hash)), ...made.maps]);
      } catch (e) {
        refused.push(`${file.name}: ${said(e)}`);
      }
    }
    setWrong(refused);
    setBusy(false);
  };
  const set = (i: number, some: Partial<Proposed>) =>
    setMaps((was) => was.map((m, k) => (k === i ? { ...m, ...some } : m)));
  const put = async () => {
    try {
      const body = { document: sent(), maps } as never;
      take((await answered(client.POST("/api/maps/wired", { body }))).document);
      close();
    } catch (e) {
      setWrong([said(e)]);
    }
  };
  return (
    <Framed open={open} title="A set of maps" testId="maps" size="lg" onClose={close}>
      <Box
        onDragOver={(e) => e.preventDefault()}
        onDrop={(e) => {
          e.preventDefault();
          void filesOf(e.dataTransfer).then((d) => bring(d.files, d.folder));
        }}
      >
        <Flex align="center" gap="3" mb="3">
          <Button size="sm" variant="outline" loading={busy} onClick={() => files.current?.click()}>
            <FolderInput size={15} /> bring in pictures or a zip
          </Button>
          <Button size="sm" variant="outline" loading={busy} onClick={() => folder.current?.click()}>
            a folder …
          </Button>
          <input
            ref={folder}
            type="file"
            hidden
            data-testid="map-folder"
            {...{ webkitdirectory: "" }}
            onChange={(e) => {
              void bring([...(e.target.files ?? [])], true);
              e.target.value = "";
            }}
          />
          <Text color="mist">
            or drop them here; what each is for is told by its name and by what it holds
          </Text>
          <input
            ref={files}
            type="file"
            hidden
            multiple
            accept={READ.join(",")}
            data-testid="map-files"
            onChange={(e) => {
              void bring([...(e.target.files ?? [])]);
              e.target.value = "";
            }}
          />
        </Flex>
        {maps.map((m, i) => (
          <Flex key={m.hash} align="center" gap="3" py="1" data-testid="map">
            <img className="map-small" src={`/api/assets/${m.hash}/small.png`} alt="" />
            <Box flex="1" minW="0">
              <Text truncate title={m.name}>
                {m.name}
              </Text>
              <Text color="mist" fontSize="11.5px">
                {m.why}
              </Text>
            </Box>
            {m.use === "normal" && (
              <label className="check" title="Which way its green points">
                <input
                  type="checkbox"
                  checked={m.flip_green}
                  onChange={(e) => set(i, { flip_green: e.target.checked })}
                />{" "}
                green down
              </label>
            )}
            <Pick
              label={`What ${m.name} is for`}
              value={m.use}
              options={uses}
              onChange={(use) => set(i, { use: use as Proposed["use"] })}
            />
          </Flex>
        ))}
        {wrong.map((words) => (
          <Text key={words} color="coral" role="alert">
            {words}
          </Text>
        ))}
        <Flex justify="flex-end" mt="3">
          <Button
            size="sm"
            bg="glass"
            color="ink"
            disabled={!maps.some((m) => m.use !== "nothing")}
            onClick={() => void put()}
          >
            put them in
          </Button>
        </Flex>
      </Box>
    </Framed>
  );
}
