import { Button, IconButton, Input, Menu, Portal } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Ellipsis, Plus, Upload } from "lucide-react";
import { useMemo, useRef, useState } from "react";
import { answered, client, type Schema } from "../api/client";
import { Notice } from "../notice";
import { Box, Flex, Text } from "../plain";
import { go } from "../route";
import { TopBar } from "../top-bar";
import { Begin } from "./begin";
import { fromShelf, LoopPicture, useShelfLoop } from "./loop-picture";

type Item = Schema["ShelfEffect"];

/** All effects, each playing in its own small loop. */
export function Shelf() {
  const queries = useQueryClient();
  const [said, setSaid] = useState<{ words: string; undo?: () => void } | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const shelf = useQuery({
    queryKey: ["shelf"],
    queryFn: () => answered(client.GET("/api/effects")),
    refetchOnMount: "always",
  });
  const [looking, setLooking] = useState<Looked>({ text: "", by: "newest" });
  const found = useMemo(() => lookedThrough(shelf.data ?? [], looking), [shelf.data, looking]);
  const groups = (
    [
      ["Your effects", found.filter((i) => !i.shipped)],
      ["The Lantern Ferry, shipped with Whorl", found.filter((i) => i.shipped)],
    ] as [string, Item[]][]
  ).filter(([, items]) => items.length > 0);
  useShelfLoop();
  const again = async () => {
    // A list that is still on its way was written before the change, and would be taken for the new one.
    await queries.cancelQueries({ queryKey: ["shelf"] });
    await queries.invalidateQueries({ queryKey: ["shelf"] });
  };
  const attempt = async (what: () => Promise<unknown>) => {
    try {
      await what();
      await again();
    } catch (e) {
      setSaid({ words: e instanceof Error ? e.message : String(e) });
    }
  };
  const [beginning, setBeginning] = useState(false);
  const create = (starter: string | null) =>
    attempt(async () => {
      const body = starter ? { starter } : { name: "New effect" };
      const kept = await answered(client.POST("/api/effects", { body }));
      go(`/effect/${kept.id}`);
    });
  const bringIn = (chosen: File | undefined) =>
    chosen &&
    attempt(async () => {
      const body = new FormData();
      body.append("file", chosen);
      // The schema types a file as text; the serialiser sends the form as it is.
      const sent = { body: { file: "" }, bodySerializer: () => body };
      const kept = await answered(client.POST("/api/effects/import", sent));
      setSaid({ words: `${kept.document.name} is on the shelf` });
    });
  const act = (item: Item): Record<string, () => void> => ({
    duplicate: () =>
      void attempt(() =>
        answered(client.POST("/api/effects/{id}/duplicate", { params: { path: { id: item.id } } })),
      ),
    export: () => window.location.assign(`/api/effects/${item.id}/export`),
    delete: () =>
      void attempt(async () => {
        await answered(client.DELETE("/api/effects/{id}", { params: { path: { id: item.id } } }));
        const undo = () => {
          setSaid(null);
          void attempt(() =>
            answered(client.POST("/api/effects/{id}/restore", { params: { path: { id: item.id } } })),
          );
        };
        setSaid({ words: `${item.name} was taken off the shelf`, undo });
      }),
  });
  return (
    <Flex
      direction="column"
      h="100vh"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        void bringIn(e.dataTransfer.files[0]);
      }}
    >
      <TopBar>
        <Text>Shelf</Text>
        <Box flex="1" />
        <Button
          size="sm"
          variant="outline"
          rounded="full"
          borderColor="line"
          color="fog"
          onClick={() => file.current?.click()}
        >
          <Upload size={15} /> Import
        </Button>
        <input
          ref={file}
          type="file"
          accept=".json,.zip,application/json,application/zip"
          hidden
          data-testid="import"
          onChange={(e) => {
            void bringIn(e.target.files?.[0]);
            e.target.value = "";
          }}
        />
        <Button
          size="sm"
          rounded="full"
          bg="glass"
          color="ink"
          onClick={() => setBeginning(true)}
          data-testid="new-effect"
        >
          <Plus size={15} /> New effect
        </Button>
        <Begin open={beginning} onClose={() => setBeginning(false)} onChoose={(s) => void create(s)} />
      </TopBar>
      {said && (
        <Flex px="4" py="2" gap="4" align="center" bg="raised" role="status" data-testid="shelf-said">
          <Text>{said.words}</Text>
          {said.undo && (
            <Button size="xs" variant="outline" onClick={said.undo}>
              undo
            </Button>
          )}
          <Button size="xs" variant="ghost" color="mist" onClick={() => setSaid(null)}>
            dismiss
          </Button>
        </Flex>
      )}
      <Box as="main" flex="1" overflowY="auto" p="8" bg="surround" tabIndex={-1}>
        <h1 className="unseen">Shelf</h1>
        {shelf.error && (
          <Notice title="The shelf did not open" action="Try again" onAction={() => void shelf.refetch()}>
            {shelf.error.message}
          </Notice>
        )}
        {shelf.isPending && <Notice title="Opening the shelf …" />}
        {shelf.data?.length === 0 && (
          <Notice title="The shelf is empty" action="New effect" onAction={() => setBeginning(true)}>
            Make an effect, or drop a .whorl.json file here.
          </Notice>
        )}
        {shelf.data && shelf.data.length > 0 && (
          <Looking looking={looking} onLook={setLooking} shown={found.length} all={shelf.data.length} />
        )}
        {groups.map(([title, items]) => (
          <Box key={title} as="section" aria-label={title} mb="10">
            <Text as="h2" color="#b4b4b4" mb="5" textAlign="center">
              {title} · {items.length}
            </Text>
            <Flex wrap="wrap" gap="8" justify="center">
              {items.map((item) => (
                <ShelfItem
                  key={item.id}
                  item={item}
                  act={act(item)}
                  onSaid={(words) => setSaid({ words })}
                  onChanged={again}
                />
              ))}
            </Flex>
          </Box>
        ))}
        {found.length === 0 && shelf.data && shelf.data.length > 0 && (
          <Notice title="Nothing on the shelf is called so">Names and tags are looked through.</Notice>
        )}
        {shelf.data && <Room onSaid={(words) => setSaid({ words })} />}
      </Box>
    </Flex>
  );
}

type Looked = { text: string; by: "newest" | "name" };

/** The effects whose name or tags hold every word, in the order that is asked for; shipped ones stay in theirs. */
export function lookedThrough(items: Item[], { text, by }: Looked): Item[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = items.filter((i) => {
    const all = [i.name, ...i.tags].join(" ").toLowerCase();
    return words.every((w) => all.includes(w));
  });
  const order = (a: Item, b: Item) =>
    by === "name" ? a.name.localeCompare(b.name) : b.changed.localeCompare(a.changed);
  return [...found.filter((i) => !i.shipped).sort(order), ...found.filter((i) => i.shipped)];
}

type LookingProps = { looking: Looked; onLook: (l: Looked) => void; shown: number; all: number };

function Looking({ looking, onLook, shown, all }: LookingProps) {
  return (
    <Flex gap="4" align="center" justify="center" mb="8" wrap="wrap">
      <Input
        aria-label="Look for an effect"
        placeholder="name or tag …"
        size="sm"
        w="16rem"
        bg="#1c1c1c"
        borderColor="#565656"
        value={looking.text}
        onChange={(e) => onLook({ ...looking, text: e.target.value })}
      />
      <select
        className="plain-select"
        aria-label="Order of the shelf"
        value={looking.by}
        onChange={(e) => onLook({ ...looking, by: e.target.value as Looked["by"] })}
      >
        <option value="newest">newest first</option>
        <option value="name">by name</option>
      </select>
      <Text color="#b4b4b4" role="status">
        {shown === all ? `${all} effects` : `${shown} of ${all} effects`}
      </Text>
    </Flex>
  );
}

/** What files take that nothing refers to, and a way to be rid of them before their week is over. */
function Room({ onSaid }: { onSaid: (words: string) => void }) {
  const queries = useQueryClient();
  const room = useQuery({ queryKey: ["room"], queryFn: () => answered(client.GET("/api/room")) });
  if (!room.data || room.data.files === 0) return null;
  const size = `${(room.data.bytes / 2 ** 20).toFixed(1)} MiB`;
  const free = async () => {
    try {
      const gone = await answered(client.POST("/api/room/free"));
      onSaid(
        gone.files
          ? `${(gone.bytes / 2 ** 20).toFixed(1)} MiB are free again`
          : "What is younger than an hour is kept, since it may belong to something that is not saved yet",
      );
      await queries.invalidateQueries({ queryKey: ["room"] });
    } catch (e) {
      onSaid(e instanceof Error ? e.message : String(e));
    }
  };
  return (
    <Flex justify="center" align="center" gap="3" color="#b4b4b4" mt="4">
      <Text>
        {room.data.files} files that no effect uses any more take {size}; after a week they go by themselves.
      </Text>
      <Button size="xs" variant="outline" onClick={() => void free()}>
        free it now
      </Button>
    </Flex>
  );
}

type ItemProps = {
  item: Item;
  act: Record<string, () => void>;
  onSaid: (words: string) => void;
  onChanged: () => void;
};

function ShelfItem({ item, act, onSaid, onChanged }: ItemProps) {
  const [naming, setNaming] = useState<string | null>(null);
  const rename = async () => {
    const name = naming?.trim();
    setNaming(null);
    if (!name || name === item.name) return;
    try {
      const params = { path: { id: item.id } };
      const kept = await answered(client.GET("/api/effects/{id}", { params }));
      const document = { ...kept.document, name } as unknown as Record<string, unknown>;
      await answered(client.PUT("/api/effects/{id}", { params, body: { base: kept.revision, document } }));
      onChanged();
    } catch (e) {
      onSaid(e instanceof Error ? e.message : String(e));
    }
  };
  // The menu gives the focus back to its button as it closes; the field takes it after that.
  const [tagging, setTagging] = useState<string | null>(null);
  const startTagging = () => window.setTimeout(() => setTagging(item.tags.join(", ")), 120);
  const tag = async () => {
    const tags = (tagging ?? "").split(",").flatMap((t) => t.trim().slice(0, 40) || []);
    setTagging(null);
    if (tags.join() === item.tags.join()) return;
    try {
      const params = { path: { id: item.id } };
      await answered(client.PUT("/api/effects/{id}/tags", { params, body: { tags: tags.slice(0, 16) } }));
      onChanged();
    } catch (e) {
      onSaid(e instanceof Error ? e.message : String(e));
    }
  };
  const startNaming = () => window.setTimeout(() => setNaming(item.name), 120);
  return (
    <Box w="260px" data-testid={`shelf-${item.id}`}>
      <button
        type="button"
        className="shelf-picture"
        aria-label={`Open ${item.name}`}
        onClick={() => go(`/effect/${item.id}`)}
      >
        <LoopPicture
          name={[item.id, item.revision]}
          load={fromShelf(item.id)}
          seconds={item.seconds}
          size={248}
          unreadable={item.words}
        />
      </button>
      <Flex align="center" justify="center" gap="1" mt="3">
        {naming === null ? (
          <Text fontWeight="600" fontSize="15px">
            {item.name}
          </Text>
        ) : (
          <Input
            autoFocus
            size="xs"
            w="44"
            aria-label="Effect name"
            value={naming}
            onFocus={(e) => e.target.select()}
            onChange={(e) => setNaming(e.target.value)}
            onBlur={() => void rename()}
            onKeyDown={(e) => {
              if (e.key === "Enter") void rename();
              if (e.key === "Escape") setNaming(null);
            }}
          />
        )}
        <Menu.Root
          onSelect={(e) =>
            e.value === "rename" ? startNaming() : e.value === "tag" ? startTagging() : act[e.value]()
          }
        >
          <Menu.Trigger asChild>
            <IconButton aria-label={`${item.name}: more`} size="2xs" variant="ghost" color="#b4b4b4">
              <Ellipsis size={15} />
            </IconButton>
          </Menu.Trigger>
          <Portal>
            <Menu.Positioner>
              <Menu.Content bg="raised">
                <Menu.Item value="rename">Rename</Menu.Item>
                <Menu.Item value="tag">Tags …</Menu.Item>
                <Menu.Item value="duplicate">Duplicate</Menu.Item>
                <Menu.Item value="export">Export to a file</Menu.Item>
                <Menu.Item value="delete">Delete</Menu.Item>
              </Menu.Content>
            </Menu.Positioner>
          </Portal>
        </Menu.Root>
      </Flex>
      <Text textAlign="center" color="#b4b4b4" fontSize="12px">
        {[`${item.seconds} s`, `${item.fps} fps`, ...item.tags].join(" · ")}
      </Text>
      {item.variants.length > 0 && <Variants item={item} />}
      {tagging !== null && (
        <Input
          autoFocus
          size="xs"
          mt="1"
          aria-label={`Tags of ${item.name}, with commas between them`}
          placeholder="water, slow"
          value={tagging}
          onChange={(e) => setTagging(e.target.value)}
          onBlur={() => void tag()}
          onKeyDown={(e) => {
            if (e.key === "Enter") void tag();
            if (e.key === "Escape") setTagging(null);
          }}
        />
      )}
    </Box>
  );
}

/** The variants of an effect, each by a picture from the core, once they are asked for. */
function Variants({ item }: { item: Item }) {
  const [open, setOpen] = useState(false);
  const words = item.variants.length === 1 ? "one variant" : `${item.variants.length} variants`;
  return (
    <Box textAlign="center">
      <button
        type="button"
        className="link"
        aria-expanded={open}
        aria-label={`${words} of ${item.name}`}
        onClick={() => setOpen(!open)}
      >
        {words}
      </button>
      {open && (
        <Flex gap="2" wrap="wrap" justify="center" mt="2" data-testid={`variants-${item.id}`}>
          {item.variants.map(({ id, name }) => (
            <Box key={id} w="4.6rem">
              <img
                src={`/api/effects/${item.id}/frame.png?size=96&phase=0.4&revision=${item.revision}&variant=${id}`}
                alt=""
                width={64}
                height={64}
                style={{ borderRadius: "50%", margin: "0 auto" }}
                loading="lazy"
              />
              <Text fontSize="11px" color="#b4b4b4" truncate title={name}>
                {name}
              </Text>
            </Box>
          ))}
        </Flex>
      )}
    </Box>
  );
}
