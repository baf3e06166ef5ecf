import { Button, Input } from "@chakra-ui/react";
import { produce } from "immer";
import { useRef, useState } from "react";
import { answered, client, type Effect, type Schema } from "../api/client";
import { edit, holdBriefly, sent, useEditor } from "../document/editor";
import { putAt } from "../document/place";
import { held } from "../document/variants";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Text } from "../plain";
import type { Loop } from "../stage/drawing";
import { sourceOf } from "./panel";

type Changes = Schema["Change"][];
type Variant = Effect["variants"][number];

const put = (changes: Changes) =>
  edit((d) => {
    for (const c of changes) putAt(d, c.place, c.value);
  });

/** Sets the levers as a variant has them. */
async function apply(variant: string) {
  put((await answered(client.POST("/api/variants/apply", { body: { document: sent(), variant } }))).changes);
}

/** Where the levers stand well, each by its picture; what lies between two; and random ways to pick from. */
export function Variants({ loop }: { loop: Loop }) {
  const variants = useEditor((s) => s.document.variants);
  const [name, setName] = useState("");
  const [wrong, setWrong] = useState("");
  const keep = async () => {
    const variant = name.trim() || `variant ${variants.length + 1}`;
    setWrong("");
    try {
      const made = await answered(client.POST("/api/variants/keep", { body: { document: sent(), variant } }));
      edit((d) => {
        const at = d.variants.findIndex((v) => v.id === made.id);
        if (at < 0) d.variants.push(made as Variant);
        else d.variants[at] = made as Variant;
      });
      setName("");
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    }
  };
  return (
    <Box mt="4" borderTop="1px solid" borderColor="line" pt="3" data-testid="variants">
      <Flex align="center" gap="3" mb="2" wrap="wrap">
        <Text fontWeight="600">Variants</Text>
        <Input
          size="xs"
          w="11rem"
          borderColor="line"
          aria-label="Name of the variant"
          placeholder={`variant ${variants.length + 1}`}
          value={name}
          maxLength={120}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && void keep()}
        />
        <Button size="xs" variant="outline" borderColor="line" onClick={() => void keep()}>
          {variants.some((v) => v.name === name.trim()) ? "bring it up to date" : "keep as a variant"}
        </Button>
        <Deal loop={loop} />
        {wrong && <Text color="coral">{wrong}</Text>}
      </Flex>
      <Flex gap="3" wrap="wrap">
        {variants.map((v) => (
          <One key={v.id} variant={v} loop={loop} />
        ))}
      </Flex>
      {variants.length > 1 && <Between variants={variants} />}
    </Box>
  );
}

function One({ variant, loop }: { variant: Variant; loop: Loop }) {
  const { id, name } = variant;
  const [source] = useState(() =>
    sourceOf(loop, (d) => held(d, d.variants.find((v) => v.id === id)?.holds ?? [])),
  );
  const [renaming, setRenaming] = useState(false);
  const shift = (by: number) =>
    edit((d) => {
      const at = d.variants.findIndex((v) => v.id === id);
      const [own] = d.variants.splice(at, 1);
      d.variants.splice(Math.max(0, at + by), 0, own);
    });
  return (
    <Box textAlign="center" w="7rem" data-testid={`variant-${id}`}>
      <button
        type="button"
        className="phase"
        aria-label={`Variant ${name}`}
        title="Set the levers so"
        onClick={() => void apply(id)}
      >
        <SmallPicture source={source} place={null} size={64} />
      </button>
      {renaming ? (
        <Input
          autoFocus
          size="2xs"
          aria-label={`New name of ${name}`}
          defaultValue={name}
          maxLength={120}
          onBlur={(e) => {
            const text = e.target.value.trim();
            if (text)
              edit((d) => {
                d.variants.find((v) => v.id === id)!.name = text;
              });
            setRenaming(false);
          }}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
      ) : (
        <Text fontSize="11.5px" truncate title={name}>
          {name}
        </Text>
      )}
      <Flex justify="center" gap="1" color="mist" fontSize="11px">
        <button type="button" className="link" aria-label={`${name}: earlier`} onClick={() => shift(-1)}>
          ‹
        </button>
        <button
          type="button"
          className="link"
          onClick={() => setRenaming(true)}
          aria-label={`Rename ${name}`}
        >
          rename
        </button>
        <button
          type="button"
          className="link"
          aria-label={`Remove ${name}`}
          onClick={() =>
            edit((d) => {
              d.variants = d.variants.filter((v) => v.id !== id);
            })
          }
        >
          remove
        </button>
      </Flex>
    </Box>
  );
}

/** From one variant to another; only the newest place of the slider is asked for. */
function Between({ variants }: { variants: Variant[] }) {
  const [first, setFirst] = useState(variants[0].id);
  const [second, setSecond] = useState(variants[1].id);
  const [part, setPart] = useState(0);
  const wanted = useRef<number | null>(null);
  const asking = useRef(false);
  const there = (id: string, other: number) => (variants.some((v) => v.id === id) ? id : variants[other].id);
  const [a, b] = [there(first, 0), there(second, 1)];
  const go = async (to: number) => {
    setPart(to);
    wanted.current = to;
    if (asking.current) return;
    asking.current = true;
    try {
      while (wanted.current !== null) {
        const body = { document: sent(), first: a, second: b, part: wanted.current };
        wanted.current = null;
        const { changes } = await answered(client.POST("/api/variants/between", { body }));
        holdBriefly();
        put(changes);
      }
    } finally {
      asking.current = false;
    }
  };
  const pick = (label: string, value: string, onChange: (id: string) => void) => (
    <select
      className="plain-select"
      aria-label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
    >
      {variants.map((v) => (
        <option key={v.id} value={v.id}>
          {v.name}
        </option>
      ))}
    </select>
  );
  return (
    <Flex align="center" gap="3" mt="3">
      <Text color="mist">between</Text>
      {pick("From variant", a, setFirst)}
      <input
        type="range"
        min={0}
        max={1}
        step={0.01}
        value={part}
        aria-label="Between two variants"
        aria-valuetext={`${Math.round(part * 100)} %`}
        onChange={(e) => void go(Number(e.target.value))}
        style={{ flex: 1, accentColor: "#6fd6ba" }}
      />
      {pick("To variant", b, setSecond)}
    </Flex>
  );
}

/** Eight random ways for the levers to stand, by their pictures. */
function Deal({ loop }: { loop: Loop }) {
  const [deals, setDeals] = useState<Changes[] | null>(null);
  const seed = useRef(1);
  const deal = async () => {
    const body = { document: sent(), seed: seed.current++ };
    setDeals((await answered(client.POST("/api/variants/deal", { body }))).deals.map((d) => d.changes));
  };
  return (
    <>
      <Button size="xs" variant="outline" borderColor="line" onClick={() => void deal()}>
        {deals ? "deal again" : "deal eight"}
      </Button>
      {deals && (
        <Button size="xs" variant="ghost" color="mist" onClick={() => setDeals(null)}>
          put them away
        </Button>
      )}
      {deals && (
        <Flex gap="2" w="100%" wrap="wrap" data-testid="deals">
          {deals.map((changes, i) => (
            <Dealt key={`${seed.current} ${i}`} changes={changes} number={i + 1} loop={loop} />
          ))}
        </Flex>
      )}
    </>
  );
}

function Dealt({ changes, number, loop }: { changes: Changes; number: number; loop: Loop }) {
  const [source] = useState(() =>
    sourceOf(loop, (d) =>
      produce(d, (draft) => {
        for (const c of changes) putAt(draft, c.place, c.value);
      }),
    ),
  );
  return (
    <button
      type="button"
      className="phase"
      aria-label={`Dealt ${number}`}
      title="Set the levers so"
      onClick={() => put(changes)}
    >
      <SmallPicture source={source} place={null} size={56} />
    </button>
  );
}
