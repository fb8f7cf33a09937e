import { Segmented, Select } from 'antd';

interface ChoiceProps<T extends string> {
  readonly label: string;
  readonly options: readonly { readonly value: T; readonly label: string }[];
  readonly value: T;
  readonly onChange: (v: T) => void;
  /** Stands in a row of its own, with less room. */
  readonly narrow?: boolean;
}
/** Few short words side by side, else a list. */
export function Choice<T extends string>({ label, options, value, onChange, narrow }: ChoiceProps<T>) {
  // what fits beside each other on a card, by a word's usual width
  const pixels = options.reduce((n, o) => n + o.label.length * 6.9 + 15, 0);
  if (options.length <= 5 && pixels < (narrow ? 118 : 186)) {
    // of one width where the longest word fits so, else as wide as each word
    const even = options.length * (Math.max(...options.map((o) => o.label.length)) * 6.5 + 12) < 186;
    return (
      <Segmented size="small" block={even} aria-label={label} options={[...options]} value={value} onChange={(v) => onChange(v as T)} />
    );
  }
  return (
    <Select
      size="small"
      aria-label={label}
      style={{ width: narrow ? 92 : '100%' }}
      options={[...options]}
      value={value}
      onChange={(v) => onChange(v)}
    />
  );
}
