import { Button, Flex, IconButton, Text } from "@chakra-ui/react";
import { Upload, X } from "lucide-react";
import { useRef } from "react";
import { useBringing } from "../api/bring";
import type { Effect, Schema } from "../api/client";
import { NumberControl } from "../bead/number";
import { edit, useEditor } from "../document/editor";
import { Pick } from "../pick";

type Path = Effect["stage"]["path"];

/** The points of a tube's path; they are dragged on the stage too. */
export function PathControl() {
  const path = useEditor((s) => s.document.stage.path);
  const change = (by: (path: Path) => void) => edit((d) => by(d.stage.path));
  return (
    <Flex direction="column" gap="1" data-testid="path" mb="1">
      {path.map((p, i) => (
        <Flex key={i} align="center" gap="2">
          <Text color="mist" w="3.4rem">
            point {i + 1}
          </Text>
          {(["x", "y", "z"] as const).map((axis, k) => (
            <NumberControl
              key={axis}
              narrow
              label={`point ${i + 1} ${axis}`}
              value={p.at[k]}
              soft={[-2, 2]}
              hard={[-100, 100]}
              onChange={(x) =>
                change((d) => {
                  d[i].at[k] = x;
                })
              }
            />
          ))}
          <Text color="mist">radius</Text>
          <NumberControl
            narrow
            label={`point ${i + 1} radius`}
            value={p.radius}
            soft={[0.02, 0.4]}
            hard={[0.001, 10]}
            onChange={(x) =>
              change((d) => {
                d[i].radius = x;
              })
            }
          />
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
      ))}
      <Button
        size="xs"
        variant="outline"
        alignSelf="flex-start"
        disabled={path.length >= 24}
        onClick={() =>
          change((d) => {
            const [a, b] = d.slice(-2);
            d.push({
              at: b.at.map((x, k) => Math.round((x + (x - a.at[k]) * 0.6) * 1000) / 1000),
              radius: b.radius,
            });
          })
        }
      >
        add a point
      </Button>
    </Flex>
  );
}

/** The mesh that was brought in, and which way up it is; or a way to bring one in. */
export function MeshControl() {
  const file = useEditor((s) => s.document.stage.mesh);
  const input = useRef<HTMLInputElement>(null);
  const { bring, busy, wrong } = useBringing<Schema["StoredMesh"]>("/api/meshes", ({ hash }, name) =>
    edit((d) => {
      d.stage.mesh = { name, hash, up: "y" };
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
            <Pick
              label="up axis"
              value={file.up}
              options={["y", "z"]}
              onChange={(v) =>
                edit((d) => {
                  d.stage.mesh!.up = v as "y";
                })
              }
            />
          </>
        ) : (
          <Text color="mist">OBJ, PLY, STL or .glb; until then a ball stands in.</Text>
        )}
      </Flex>
      {wrong && (
        <Text color="coral" role="alert">
          {wrong}
        </Text>
      )}
    </Flex>
  );
}
