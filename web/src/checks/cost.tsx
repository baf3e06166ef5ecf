import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { asked } from "../api/catalogue";
import { answered, client } from "../api/client";
import { NumberControl } from "../bead/number";
import { inPeoplesWords } from "../document/edit";
import { sent, useEditor } from "../document/editor";
import { Box, Flex, Text } from "../plain";
import { goTo } from "./panel";

/** Milliseconds that a picture may take; kept from one effect to the next. */
const BUDGET = "whorl budget";

/** What each bead costs, the dearest first, with a line at what may be spent. */
export function CostView() {
  const [open, setOpen] = useState(false);
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)} data-testid="cost">
      <summary>cost</summary>
      {open && <Costs />}
    </details>
  );
}

function Costs() {
  const document = useEditor((s) => s.document);
  const { soft, hard, label, default: first } = asked("budget");
  const [budget, setBudget] = useState(() => Number(localStorage.getItem(BUDGET)) || (first as number));
  const got = useQuery({
    queryKey: ["cost", document],
    gcTime: 0,
    placeholderData: (last) => last,
    queryFn: () => answered(client.POST("/api/checks/cost", { body: { document: sent() } })),
  });
  const cost = got.data;
  if (got.error) return <Text color="coral">{got.error.message}</Text>;
  if (!cost) return <Text color="mist">it is being timed …</Text>;
  const rows = [
    ...cost.beads.map((b) => ({ ...b, name: inPeoplesWords(document, b.place) })),
    { ...cost.surface, name: "light and what is around" },
  ].sort((a, b) => b.milliseconds - a.milliseconds);
  const most = Math.max(rows[0].milliseconds, 1e-6);
  const over = cost.milliseconds > budget;
  return (
    <Box mt="2">
      <Flex gap="4" align="center" wrap="wrap" mb="2">
        <Text color={over ? "coral" : "fog"}>
          {cost.milliseconds.toFixed(1)} ms for 512 × 512 on one thread
          {over ? ", over what may be spent" : ""}
        </Text>
        <Flex align="center" gap="2">
          <Text color="mist">{label}</Text>
          <NumberControl
            narrow
            label="Milliseconds that a picture may take"
            value={budget}
            soft={soft}
            hard={hard}
            onChange={(x) => {
              setBudget(x);
              localStorage.setItem(BUDGET, String(x));
            }}
          />
        </Flex>
        <Text color="mist">
          {cost.vertices} vertices · program of weight {cost.weight}
        </Text>
      </Flex>
      <table className="cost">
        <thead>
          <tr>
            <th scope="col">bead</th>
            <th scope="col">time</th>
            <th scope="col">ms</th>
            <th scope="col">of the program</th>
            <th scope="col">octaves</th>
            <th scope="col">lookups</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((b) => (
            <tr key={b.place}>
              <th scope="row">
                <button type="button" className="link" onClick={() => goTo(b.place)}>
                  {b.name}
                </button>
              </th>
              <td>
                <Box
                  h="8px"
                  rounded="full"
                  bg={b.dear ? "coral" : "glass"}
                  w={`${(b.milliseconds / most) * 100}%`}
                  minW="1px"
                />
              </td>
              <td>{b.milliseconds.toFixed(2)}</td>
              <td>{Math.round(b.weight * 100)} %</td>
              <td>{b.octaves || ""}</td>
              <td>{b.lookups || ""}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  );
}
