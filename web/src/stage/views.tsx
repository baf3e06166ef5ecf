import { Button, IconButton } from "@chakra-ui/react";
import { X } from "lucide-react";
import { edit, useEditor } from "../document/editor";
import { fieldOf } from "../field";
import { Flex, Text } from "../plain";

/** Cameras kept by a name; a press looks from there again. */
export function SavedViews() {
  const views = useEditor((s) => s.document.stage.views);
  return (
    <Flex wrap="wrap" gap="1.5" align="center">
      {views.map((v, i) => (
        <Flex key={v.name} align="center">
          <Button
            size="xs"
            variant="outline"
            onClick={() =>
              edit((d) => {
                d.stage.camera = v.camera;
              })
            }
          >
            {v.name}
          </Button>
          <IconButton
            aria-label={`Forget ${v.name}`}
            size="2xs"
            variant="ghost"
            color="mist"
            onClick={() =>
              edit((d) => {
                d.stage.views.splice(i, 1);
              })
            }
          >
            <X size={12} />
          </IconButton>
        </Flex>
      ))}
      <Button
        size="xs"
        variant="outline"
        disabled={views.length >= (fieldOf("stage", "views").most ?? 0)}
        title="Keeps the camera as it is now"
        onClick={() =>
          edit((d) => {
            let n = d.stage.views.length + 1;
            while (d.stage.views.some((v) => v.name === `view ${n}`)) n++;
            d.stage.views.push({ name: `view ${n}`, camera: d.stage.camera });
          })
        }
      >
        keep this view
      </Button>
      {views.length === 0 && (
        <Text color="mist" fontSize="11.5px">
          none kept yet
        </Text>
      )}
    </Flex>
  );
}
