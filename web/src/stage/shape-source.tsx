import { Button, IconButton } from "@chakra-ui/react";
import { Plus, Upload, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useBringing } from "../api/bring";
import { defaults, fieldsOf } from "../api/catalogue";
import { answered, client, type Effect, type Schema } from "../api/client";
import { NumberControl } from "../bead/number";
import { edit, useEditor } from "../document/editor";
import { find, fresh } from "../document/tree";
import { ColourAt, FieldRow, fieldOf, NumberAt } from "../field";
import { FieldPick } from "../field-pick";
import { Pick } from "../pick";
import { Box, Flex, Text } from "../plain";
import { useDrawn } from "./drawn";

type Path = Effect["stage"]["path"];

/** The points of a tube's path; they are dragged on the stage too. */
export function PathControl() {
  const path = useEditor((s) => s.document.stage.path);
  const closed = useEditor((s) => s.document.stage.path_closed);
  const [wrong, setWrong] = useState("");
  const putIn = async (segment: number) => {
    try {
      const body = { path, closed, segment };
      const made = await answered(client.POST("/api/path", { body }));
      setWrong("");
      edit((d) => {
        d.stage.path = made.path as Path;
      });
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    }
  };
  const change = (by: (path: Path) => void) => edit((d) => by(d.stage.path));
  const at = find("stage/path/0/at", defaults())!.field.param!;
  const most = fieldOf("stage", "path").most ?? path.length;
  return (
    <Flex direction="column" gap="1" data-testid="path" mb="1">
      {path.map((p, i) => (
        <Flex key={i} align="center" gap="2" rowGap="0" wrap="wrap">
          <Text color="mist" w="3.9rem" whiteSpace="nowrap">
            point {i + 1}
          </Text>
          {(["x", "y", "z"] as const).map((axis, k) => (
            <NumberControl
              key={axis}
              narrow
              label={`point ${i + 1} ${axis}`}
              value={p.at[k]}
              soft={at.soft}
              hard={at.hard}
              onChange={(x) =>
                change((d) => {
                  d[i].at[k] = x;
                })
              }
            />
          ))}
          <Flex align="center" gap="2" ml="auto">
            <Text color="mist">radius</Text>
            <NumberAt narrow place={`stage/path/${i}/radius`} label={`point ${i + 1} radius`} />
            <Text color="mist">tilt</Text>
            <NumberAt narrow place={`stage/path/${i}/tilt`} label={`point ${i + 1} tilt`} />
            <IconButton
              aria-label={`Put a point in after point ${i + 1}`}
              title="One more point in the middle, which leaves the path where it is"
              size="2xs"
              variant="ghost"
              color="mist"
              disabled={path.length >= most || (!closed && i === path.length - 1)}
              onClick={() => void putIn(i)}
            >
              <Plus size={12} />
            </IconButton>
            <IconButton
              aria-label={`Remove point ${i + 1}`}
              size="2xs"
              variant="ghost"
              color="mist"
              disabled={path.length <= 2}
              onClick={() => change((d) => void d.splice(i, 1))}
            >
              <X size={12} />
            </IconButton>
          </Flex>
        </Flex>
      ))}
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
      <FieldRow place="stage" field={fieldOf("stage", "path_closed")} source={() => null} />
      <Drawing />
      <Button
        size="xs"
        variant="outline"
        alignSelf="flex-start"
        disabled={path.length >= most}
        onClick={() =>
          change((d) => {
            const [a, b] = d.slice(-2);
            d.push({
              at: b.at.map((x, k) => Math.round((x + (x - a.at[k]) * 0.6) * 1000) / 1000),
              radius: b.radius,
              tilt: b.tilt,
            });
          })
        }
      >
        add a point
      </Button>
    </Flex>
  );
}

/** Has the next line on the picture become the path. */
function Drawing() {
  const { drawing, wrong } = useDrawn();
  // What was begun here is not gone on with elsewhere.
  useEffect(() => () => useDrawn.setState({ drawing: false, wrong: "" }), []);
  return (
    <>
      <Flex align="center" gap="3">
        <Button
          size="xs"
          variant="outline"
          aria-pressed={drawing}
          onClick={() => useDrawn.setState({ drawing: !drawing, wrong: "" })}
        >
          draw it on the picture
        </Button>
        {drawing && (
          <Text color="mist">
            One stroke, as far off as the camera looks; where it comes back to its beginning it is closed.
          </Text>
        )}
      </Flex>
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
    </>
  );
}

/** The mesh that was brought in, and which way up it is; or a way to bring one in. */
export function MeshControl() {
  const file = useEditor((s) => s.document.stage.mesh);
  const input = useRef<HTMLInputElement>(null);
  const { bring, busy, wrong } = useBringing<Schema["StoredMesh"]>("/api/meshes", ({ hash, parts }, name) =>
    edit((d) => {
      const begun = fresh<NonNullable<Effect["stage"]["mesh"]>>("stage/mesh");
      // What a part of the same name was before, it is again.
      const was = new Map((d.stage.mesh?.parts ?? []).map((p) => [p.name, p.wears]));
      const each = parts.map((part) => {
        const made = fresh<NonNullable<typeof begun.parts>[number]>("stage/mesh/parts/0");
        return { ...made, name: part, wears: was.get(part) ?? made.wears };
      });
      d.stage.mesh = { ...begun, name, hash, parts: parts.length > 1 ? each : [] };
      d.stage.shape = "mesh";
    }),
  );
  return (
    <Flex
      direction="column"
      gap="1"
      mb="1"
      data-testid="mesh"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        void bring(e.dataTransfer.files[0]);
      }}
    >
      <Flex align="center" gap="3" wrap="wrap">
        <Button size="xs" variant="outline" loading={busy} onClick={() => input.current?.click()}>
          <Upload size={13} /> bring in a mesh
        </Button>
        <input
          ref={input}
          type="file"
          hidden
          accept=".obj,.ply,.stl,.glb"
          data-testid="mesh-file"
          onChange={(e) => {
            void bring(e.target.files?.[0]);
            e.target.value = "";
          }}
        />
        {file ? (
          <>
            <Text truncate maxW="9rem" title={file.name}>
              {file.name}
            </Text>
            <Text color="mist">up is</Text>
            <FieldPick place="stage/mesh" field={fieldOf("stage/mesh", "up")} />
          </>
        ) : (
          <Text color="mist">OBJ, PLY, STL or .glb; until then a ball stands in.</Text>
        )}
      </Flex>
      {file && (file.parts ?? []).length > 0 && <Parts />}
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
    </Flex>
  );
}

/** The parts of a mesh that was brought in, and what is seen of each. */
function Parts() {
  const parts = useEditor((s) => s.document.stage.mesh?.parts) ?? [];
  const wears = fieldsOf(fieldOf("stage/mesh", "parts").part!).find((f) => f.name === "wears")!;
  return (
    <Box mt="1" role="group" aria-label="Parts of the mesh" data-testid="mesh-parts">
      {parts.map((p, i) => (
        <Flex key={p.name} align="center" gap="3" minH="7">
          <Text flex="1" truncate title={p.name}>
            {p.name}
          </Text>
          <Pick
            label={`What is seen of ${p.name}`}
            value={p.wears ?? ""}
            options={wears.options.map((o) => o.value)}
            onChange={(to) =>
              edit((d) => {
                Object.assign(d.stage.mesh!.parts![i], { wears: to });
              })
            }
          />
        </Flex>
      ))}
      {parts.some((p) => p.wears === "plain") && (
        <Flex align="center" gap="3">
          <Text flex="1">plain parts</Text>
          <ColourAt bare place="stage/plain" label="Colour of plain parts" />
        </Flex>
      )}
    </Box>
  );
}
