import { colourStrength } from "../api/catalogue";
import { holdBriefly } from "../document/editor";
import { Flex } from "../plain";
import { hexOf, linearOf, strengthOf } from "./colour";
import { NumberControl } from "./number";

type Props = {
  value: number[];
  label: string;
  /** The colour alone; its strength stays. */
  bare?: boolean;
  /** Where there is little room: its strength without a slider. */
  narrow?: boolean;
  onChange: (value: number[]) => void;
};

/** A colour and its strength; over 1 it is brighter than white. */
export function ColourControl({ value, label, bare, narrow, onChange }: Props) {
  const strength = strengthOf(value);
  return (
    <Flex align="center" gap="3" flex={bare ? "none" : "1"}>
      <input
        type="color"
        className="swatch"
        aria-label={label}
        value={hexOf(value)}
        onChange={(e) => {
          holdBriefly();
          onChange(linearOf(e.target.value).map((c) => c * strength));
        }}
      />
      {!bare && (
        <NumberControl
          narrow={narrow}
          label={`${label} strength`}
          value={strength}
          soft={colourStrength().soft}
          hard={colourStrength().hard}
          onChange={(s) => onChange(value.map((c) => (c / strength) * s))}
        />
      )}
    </Flex>
  );
}
