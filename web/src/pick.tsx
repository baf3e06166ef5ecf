type Props = {
  label: string;
  value: string;
  options: readonly string[];
  wide?: boolean;
  onChange: (value: string) => void;
};

/** One of a few words. */
export function Pick({ label, value, options, wide, onChange }: Props) {
  return (
    <select
      className={wide ? "plain-select wide" : "plain-select"}
      aria-label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
    >
      {options.map((o) => (
        <option key={o}>{o}</option>
      ))}
    </select>
  );
}
