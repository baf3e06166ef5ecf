import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { readyStages, setBy, shapes } from "../api/catalogue";
import type { Effect } from "../api/client";
import { ColourControl } from "../bead/colour-control";
import { NumberControl } from "../bead/number";
import { PictureControl } from "../bead/picture";
import { edit, useEditor } from "../document/editor";
import { Pick } from "../pick";
import { BeaconsPanel } from "./beacons";
import { BadConditions } from "./conditions";
import { type Loop, useDrawing } from "./drawing";
import { LightPanel } from "./light";
import { NeighboursPanel } from "./neighbours";
import { MeshControl, PathControl } from "./shape-source";
import { SavedViews } from "./views";

type StageDraft = Effect["stage"];

/** The scene the effect is tried in. */
export function StagePanel({ loop }: { loop: Loop }) {
  const stage = useEditor((s) => s.document.stage);
  const change = (by: (s: StageDraft) => void) => edit((d) => by(d.stage));
  return (
    <Flex gap="6" align="flex-start" wrap="wrap">
      <Box flex="1.15" minW="0">
        <Row label="shape">
          <Pick
            label="shape"
            value={stage.shape}
            options={shapes()}
            onChange={(v) =>
              change((s) => {
                s.shape = v as StageDraft["shape"];
              })
            }
          />
          <Text color="mist">finer</Text>
          <Pick
            label="subdivision"
            value={String(stage.subdivision)}
            options={["0", "1", "2", "3"]}
            onChange={(v) =>
              change((s) => {
                s.subdivision = Number(v);
              })
            }
          />
          <Vertices />
        </Row>
        <Row label="edges">
          <Pick
            label="edges"
            value={stage.edges}
            options={["as made", "smooth", "hard"]}
            onChange={(v) =>
              change((s) => {
                s.edges = v as StageDraft["edges"];
              })
            }
          />
          <Wire />
        </Row>
        <Row label="size">
          <NumberControl
            label="size"
            value={stage.size}
            soft={[0.5, 2]}
            hard={[0.01, 100]}
            onChange={(x) =>
              change((s) => {
                s.size = x;
              })
            }
          />
        </Row>
        {stage.shape === "tube" && <PathControl />}
        {stage.shape === "mesh" && <MeshControl />}
        <Row label="stages">
          {readyStages().map((r) => (
            <Button
              key={r.name}
              size="xs"
              variant="outline"
              title={r.words}
              onClick={() =>
                change((s) => {
                  Object.assign(s, setBy(r));
                })
              }
            >
              {r.name}
            </Button>
          ))}
        </Row>
        <Row label="backdrop">
          <Pick
            label="backdrop"
            value={stage.backdrop.kind}
            options={["checker", "plain", "gradient", "picture"]}
            onChange={(v) =>
              change((s) => {
                s.backdrop.kind = v as "plain";
              })
            }
          />
          <ColourControl
            label="Backdrop colour"
            value={stage.backdrop.colour}
            onChange={(c) =>
              change((s) => {
                s.backdrop.colour = c;
              })
            }
          />
          {stage.backdrop.kind === "gradient" && (
            <ColourControl
              bare
              label="Backdrop colour at the top"
              value={stage.backdrop.second}
              onChange={(c) =>
                change((s) => {
                  s.backdrop.second = c;
                })
              }
            />
          )}
        </Row>
        {stage.backdrop.kind === "picture" && (
          <PictureControl
            value={stage.backdrop.picture}
            onChoose={(d, id) => {
              d.stage.backdrop.picture = id;
            }}
          />
        )}
        <Row label="exposure" unit="stops">
          <NumberControl
            label="exposure"
            value={stage.exposure}
            soft={[-4, 4]}
            hard={[-16, 16]}
            onChange={(x) =>
              change((s) => {
                s.exposure = x;
              })
            }
          />
        </Row>
        <Row label="camera">
          <NumberControl
            narrow
            label="camera yaw"
            value={stage.camera.yaw}
            soft={[-180, 180]}
            hard={[-36000, 36000]}
            onChange={(x) =>
              change((s) => {
                s.camera.yaw = x;
              })
            }
          />
          <NumberControl
            narrow
            label="camera pitch"
            value={stage.camera.pitch}
            soft={[-89, 89]}
            hard={[-89, 89]}
            onChange={(x) =>
              change((s) => {
                s.camera.pitch = x;
              })
            }
          />
          <NumberControl
            narrow
            label="camera distance"
            value={stage.camera.distance}
            soft={[2, 8]}
            hard={[0.5, 100]}
            onChange={(x) =>
              change((s) => {
                s.camera.distance = x;
              })
            }
          />
          <Button
            size="xs"
            variant="outline"
            onClick={() =>
              change((s) => {
                s.camera = { yaw: 0, pitch: 0, distance: 4, view: 34, target: [0, 0, 0] };
              })
            }
          >
            face on
          </Button>
        </Row>
        <Text color="mist" fontSize="11.5px">
          yaw and pitch in degrees, distance in units; drag the stage to turn it, with Shift to move it
        </Text>
        <Row label="lens" unit="degrees">
          <NumberControl
            label="camera view"
            value={stage.camera.view}
            soft={[15, 70]}
            hard={[5, 120]}
            onChange={(x) =>
              change((s) => {
                s.camera.view = x;
              })
            }
          />
        </Row>
        <Row label="views">
          <SavedViews />
        </Row>
        <BadConditions />
      </Box>
      <Box flex="1" minW="0">
        <LightPanel loop={loop} />
        <NeighboursPanel loop={loop} />
        <Text fontWeight="600" mb="1" mt="3">
          Bloom
        </Text>
        <Row label="strength">
          <NumberControl
            label="bloom strength"
            value={stage.bloom.strength}
            soft={[0, 1.5]}
            hard={[0, 10]}
            onChange={(x) =>
              change((s) => {
                s.bloom.strength = x;
              })
            }
          />
        </Row>
        <Row label="threshold">
          <NumberControl
            label="bloom threshold"
            value={stage.bloom.threshold}
            soft={[0, 3]}
            hard={[0, 100]}
            onChange={(x) =>
              change((s) => {
                s.bloom.threshold = x;
              })
            }
          />
        </Row>
        <Row label="radius" unit="levels">
          <NumberControl
            label="bloom radius"
            whole
            value={stage.bloom.radius}
            soft={[1, 7]}
            hard={[1, 7]}
            onChange={(x) =>
              change((s) => {
                s.bloom.radius = x;
              })
            }
          />
        </Row>
      </Box>
      <Box w="100%">
        <BeaconsPanel loop={loop} />
      </Box>
    </Flex>
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

function Row({ label, unit, children }: { label: string; unit?: string; children: React.ReactNode }) {
  return (
    <Flex align="center" gap="3" py="1" minH="8">
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
