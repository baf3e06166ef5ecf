import { Button } from "@chakra-ui/react";
import { defaults, readyStages, setBy } from "../api/catalogue";
import { edit, useEditor } from "../document/editor";
import { actsAt, fieldsAt, find } from "../document/tree";
import { FieldRow, fieldOf, NumberAt, useFields } from "../field";
import { FieldPick } from "../field-pick";
import { Box, Flex, Text } from "../plain";
import { BeaconsPanel } from "./beacons";
import { TryIt } from "./conditions";
import { type Loop, useDrawing } from "./drawing";
import { HitsPanel } from "./hits";
import { LightPanel } from "./light";
import { NeighboursPanel, ObjectsPanel } from "./neighbours";
import { MeshControl, PathControl } from "./shape-source";
import { SavedViews } from "./views";

/** The scene the effect is tried in. */
export function StagePanel({ loop }: { loop: Loop }) {
  const along = useEditor((s) => actsAt(s.document, "stage/path"));
  const brought = useEditor((s) => actsAt(s.document, "stage/mesh"));
  const backdrop = useFields("stage/backdrop", (f) => f.name !== "kind");
  return (
    <Flex gap="6" align="flex-start" wrap="wrap">
      <Box flex="1.15 1 19rem" minW="0">
        <Row label="shape">
          <FieldPick place="stage" field={fieldOf("stage", "shape")} />
          <Text color="mist">finer</Text>
          <FieldPick place="stage" field={fieldOf("stage", "subdivision")} label="subdivision" />
          <Vertices />
        </Row>
        <Row label="edges">
          <FieldPick place="stage" field={fieldOf("stage", "edges")} />
          <Wire />
        </Row>
        <Numbered place="stage/size" />
        {along && <PathControl />}
        {brought && <MeshControl />}
        <Row label="stages">
          {readyStages().map((r) => (
            <Button
              key={r.name}
              size="xs"
              variant="outline"
              title={r.words}
              onClick={() => edit((d) => void Object.assign(d.stage, setBy(r)))}
            >
              {r.name}
            </Button>
          ))}
        </Row>
        <Row label="backdrop">
          <FieldPick place="stage/backdrop" field={fieldOf("stage/backdrop", "kind")} label="backdrop" />
        </Row>
        {backdrop
          .filter((f) => f.kind === "picture" || f.kind === "number")
          .map((f) => (
            <FieldRow narrow key={f.name} place="stage/backdrop" field={f} source={loop.source} />
          ))}
        <FieldRow narrow place="stage" field={fieldOf("stage", "exposure")} source={loop.source} />
        <Box data-place="stage/dither">
          <FieldRow place="stage" field={fieldOf("stage", "dither")} source={loop.source} />
        </Box>
        <Row label="camera">
          {["yaw", "pitch", "distance"].map((name) => (
            <NumberAt narrow key={name} place={`stage/camera/${name}`} label={`camera ${name}`} />
          ))}
          <Button
            size="xs"
            variant="outline"
            onClick={() =>
              edit((d) => {
                d.stage.camera = structuredClone(defaults().stage!.camera!);
              })
            }
          >
            face on
          </Button>
        </Row>
        <Text color="mist" fontSize="11.5px">
          yaw and pitch in degrees, distance in units; drag the stage to turn it, with Shift to move it
        </Text>
        <Numbered place="stage/camera/view" named="camera view" />
        <CameraTravel loop={loop} />
        <Row label="views">
          <SavedViews />
        </Row>
        <TryIt />
      </Box>
      <Box flex="1 1 19rem" minW="0">
        <LightPanel loop={loop} />
        <NeighboursPanel loop={loop} />
        <Text fontWeight="600" mb="1" mt="3">
          Bloom
        </Text>
        {fieldsAt("stage/bloom").map((f) =>
          f.kind === "number" ? (
            <FieldRow narrow key={f.name} place="stage/bloom" field={f} source={loop.source} />
          ) : (
            <Numbered key={f.name} place={`stage/bloom/${f.name}`} named={`bloom ${f.label}`} />
          ),
        )}
      </Box>
      <Box w="100%">
        <ObjectsPanel loop={loop} />
        <BeaconsPanel loop={loop} />
        <Box mt="3">
          <HitsPanel named />
        </Box>
      </Box>
    </Flex>
  );
}

/** A number that does not move, on a row. */
function Numbered({ place, named }: { place: string; named?: string }) {
  const { param, label, words } = find(place, defaults())!.field;
  return (
    <Row label={label} unit={param?.unit} words={words}>
      <NumberAt place={place} label={named ?? label} />
    </Row>
  );
}

/** How fine the shape is. */
function Vertices() {
  const vertices = useDrawing((s) => s.vertices);
  return (
    <Text color="mist" fontSize="11.5px" whiteSpace="nowrap" data-testid="vertices">
      {vertices.toLocaleString("en")} vertices
    </Text>
  );
}

/** The shape's triangles over the picture. */
function Wire() {
  const wire = useDrawing((s) => s.wire);
  return (
    <label style={{ display: "flex", gap: 6, marginLeft: 12 }}>
      <input
        type="checkbox"
        checked={wire}
        onChange={(e) => useDrawing.setState({ wire: e.target.checked })}
      />
      wire
    </label>
  );
}

type RowProps = { label: string; unit?: string; words?: string; children: React.ReactNode };

function Row({ label, unit, words, children }: RowProps) {
  return (
    <Flex align="center" gap="3" py="1" minH="8" title={words}>
      <Text w="4.5rem" flexShrink={0}>
        {label}
        {unit && (
          <Text as="span" color="mist" fontSize="11px" display="block" lineHeight="1">
            {unit}
          </Text>
        )}
      </Text>
      <Flex align="center" gap="2" rowGap="1" wrap="wrap" flex="1" minW="0">
        {children}
      </Flex>
    </Flex>
  );
}

/** How the camera goes over the turn, beside where it stands. */
function CameraTravel({ loop }: { loop: Loop }) {
  const goes = useEditor((s) =>
    fieldsAt("stage/travel").some((f) => `${s.document.stage.travel?.[f.name as never]}` !== `${f.fresh}`),
  );
  return (
    <Box as="details" my="1" {...(goes && { open: true })}>
      <Box as="summary" cursor="pointer" color="mist">
        the camera's travel over the turn
      </Box>
      {fieldsAt("stage/travel").map((f) => (
        <FieldRow narrow key={f.name} place="stage/travel" field={f} source={loop.source} />
      ))}
    </Box>
  );
}
