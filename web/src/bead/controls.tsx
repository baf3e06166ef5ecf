import { Button } from "@chakra-ui/react";
import { kindOf } from "../api/catalogue";
import type { BeadInfo, Schema } from "../api/client";
import { useFindings } from "../checks/looking";
import { edit, togglePeek, useEditor } from "../document/editor";
import { beadAt, placeOf } from "../document/place";
import { PublishSetting } from "../front/choice";
import { Notice } from "../notice";
import { SmallPicture } from "../painter/small-picture";
import { Box, Flex, Text } from "../plain";
import { addBeacon } from "../stage/beacons";
import type { Loop } from "../stage/drawing";
import { HitsPanel } from "../stage/hits";
import { Edges } from "./edges";
import { Formula } from "./formula";
import { Modes } from "./modes";
import { Mend } from "./motion";
import { ParamRow } from "./param";
import { PictureControl } from "./picture";

/** The selected bead: what it does, its settings and its numbers. */
export function BeadControls({ loop }: { loop: Loop }) {
  const selected = useEditor((s) => s.selected);
  const peek = useEditor((s) => s.peek);
  const place = selected ? placeOf(selected.strand, selected.bead) : "";
  const problem = useEditor((s) => s.problems.find((p) => p.place === place));
  const here = useFindings().filter((f) => f.place === place);
  const bead = useEditor((s) => beadAt(s.document, place));
  const kind = bead && kindOf(bead.kind);
  if (!bead || !kind)
    return (
      <Notice title="No bead is selected">
        Press a bead in the sheet to see its numbers, or + to add one.
      </Notice>
    );
  const settings = Object.fromEntries(kind.settings.map((s) => [s.name, bead.settings[s.name] ?? s.default]));
  const shown = (p: { when: { [key: string]: unknown } | null }) =>
    !p.when || settings[p.when.setting as string] === p.when.is;
  // Of what a formula may take, what it names or has been given.
  const written = kind.settings.find((s) => s.kind === "formula");
  const named = (name: string) =>
    !written || name in bead.params || new RegExp(`\\b${name}\\b`).test(String(settings[written.name]));
  const params = (kind.brings ? [kind.brings, ...kind.params] : kind.params).filter(
    (p) => shown(p) && named(p.name),
  );
  // Pictures, and options that say little by their names, are chosen by what they look like.
  const looked = kind.settings.filter((s) => s.by_look);
  const pictured = kind.settings.some((s) => s.kind === "picture");
  const rest = kind.settings.filter((s) => !s.by_look && s.kind !== "picture" && s !== written);
  const levels =
    kind.group === "shaping" && !kind.params.some((p) => p.type === "stops" || p.type === "curve");
  return (
    <Flex gap="6" align="flex-start" wrap="wrap">
      <Box flex="1 1 24rem" minW="0">
        <Flex align="baseline" gap="3" mb="1">
          <Text fontWeight="600" fontSize="15px">
            {kind.title}
          </Text>
          <Text color="mist" lineClamp={2}>
            {kind.words}
          </Text>
        </Flex>
        {problem && (
          <Text color="coral" role="alert" mb="1">
            {problem.words}
          </Text>
        )}
        {here.map((f) => (
          <Mend key={f.words} finding={f} />
        ))}
        {levels && <Edges key={place} place={place} bead={bead} kind={kind} />}
        {pictured && (
          <PictureControl
            value={String(settings.picture)}
            onChoose={(d, id) => {
              beadAt(d, place)!.settings.picture = id;
            }}
          />
        )}
        {pictured && <PublishSetting place={`${place}/picture`} label="picture" />}
        {written && <Formula place={place} setting={written} text={String(settings[written.name])} />}
        {kind.takes_hits && <HitsPanel />}
        {params.map((p) => (
          <ParamRow
            key={`${place}/${p.name}`}
            place={`${place}/${p.name}`}
            source={loop.source}
            interpolation={String(settings.interpolation ?? "linear")}
          />
        ))}
        {looked.map((s) => (
          <Box key={s.name}>
            <Modes place={place} setting={s} chosen={String(settings[s.name])} />
            <PublishSetting place={`${place}/${s.name}`} label={s.label} />
          </Box>
        ))}
        {rest.length > 0 && (
          <Flex
            wrap="wrap"
            gap="x"
            columnGap="5"
            rowGap="2"
            mt="2"
            pt="2"
            borderTop="1px solid"
            borderColor="line"
          >
            {rest.map((s) => (
              <Flex key={s.name} align="center" gap="2">
                <SettingControl
                  setting={s}
                  value={settings[s.name]}
                  onChange={(v) =>
                    edit((d) => {
                      beadAt(d, place)!.settings[s.name] = v;
                    })
                  }
                />
                <PublishSetting place={`${place}/${s.name}`} label={s.label} />
              </Flex>
            ))}
          </Flex>
        )}
        {params.length === 0 && kind.settings.length === 0 && <Text color="mist">Nothing to set.</Text>}
      </Box>
      <Box textAlign="center" flexShrink={0}>
        <button
          type="button"
          className="phase"
          aria-pressed={peek === place}
          aria-label="Peek at this bead"
          onClick={() => togglePeek(place)}
          data-testid="peek"
        >
          <SmallPicture source={loop.source} place={place} size={116} />
        </button>
        <Text mt="1.5" color={peek === place ? "glass" : "mist"}>
          {peek === place ? "peeking" : "peek"} <kbd>V</kbd>
        </Text>
        <Signal place={place} kind={kind} />
      </Box>
    </Flex>
  );
}

/** What the bead gives, and the period of coordinates. */
function Signal({ place, kind }: { place: string; kind: BeadInfo }) {
  const peek = useEditor((s) => s.program?.peeks.find((p) => p.place === place));
  const repeats = (peek?.period ?? [])
    .map((x, i) => (x > 0 ? `${"xyz"[i]} at ${Number(x.toPrecision(3))}` : null))
    .filter(Boolean);
  return (
    <Text color="mist" fontSize="11.5px" mt="1" maxW="8rem">
      gives {peek?.signal === "coords" ? "coordinates" : (peek?.signal ?? kind.gives)}
      {peek?.signal === "coords" && (
        <Text as="span" display="block">
          {repeats.length ? `repeats: ${repeats.join(", ")}` : "does not repeat"}
        </Text>
      )}
    </Text>
  );
}

type SettingProps = {
  setting: Schema["SettingInfo"];
  value: string | number | boolean;
  onChange: (v: string | number | boolean) => void;
};

function SettingControl({ setting, value, onChange }: SettingProps) {
  const id = `setting-${setting.name}`;
  return (
    <Flex align="center" gap="2" title={setting.words}>
      <label htmlFor={id} style={{ color: "var(--chakra-colors-mist)" }}>
        {setting.label}
      </label>
      {setting.kind === "choice" && (
        <select
          id={id}
          className="plain-select"
          value={String(value)}
          onChange={(e) => onChange(e.target.value)}
        >
          {setting.options.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      )}
      {setting.kind === "beacon" && <BeaconPick id={id} value={String(value)} onChange={onChange} />}
      {setting.kind === "switch" && (
        <input
          id={id}
          type="checkbox"
          checked={Boolean(value)}
          onChange={(e) => onChange(e.target.checked)}
        />
      )}
      {setting.kind === "whole" && (
        <select
          id={id}
          className="plain-select"
          value={Number(value)}
          onChange={(e) => onChange(Number(e.target.value))}
        >
          {Array.from({ length: setting.high - setting.low + 1 }, (_, i) => (
            <option key={setting.low + i}>{setting.low + i}</option>
          ))}
        </select>
      )}
    </Flex>
  );
}

/** One of the effect's beacons; where there is none yet, a way to place one. */
function BeaconPick({ id, value, onChange }: { id: string; value: string; onChange: (v: string) => void }) {
  const beacons = useEditor((s) => s.document.beacons);
  return (
    <>
      {beacons.length > 0 && (
        <select id={id} className="plain-select" value={value} onChange={(e) => onChange(e.target.value)}>
          <option value="">the first</option>
          {beacons.map((b) => (
            <option key={b.id} value={b.id}>
              {b.name}
            </option>
          ))}
        </select>
      )}
      <Button size="2xs" variant="outline" onClick={() => onChange(addBeacon())}>
        place a beacon
      </Button>
      {beacons.length === 0 && <Text color="mist">until then, the stage's middle</Text>}
    </>
  );
}
