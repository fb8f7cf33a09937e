import { Segmented, Select } from 'antd';

interface ChoiceProps<T extends string> {
  readonly label: string;
  readonly options: readonly { readonly value: T; readonly label: string }[];
  readonly value: T;
  readonly onChange: (v: T) => void;
}
/** Up to four short words side by side, else a list. */
export function Choice<T extends string>({ label, options, value, onChange }: ChoiceProps<T>) {
  const letters = options.reduce((n, o) => n + o.label.length + 3, 0);
  if (options.length <= 4 && letters < 40)
    return <Segmented size="small" block aria-label={label} options={[...options]} value={value} onChange={(v) => onChange(v as T)} />;
  return (
    <Select size="small" aria-label={label} style={{ width: '100%' }} options={[...options]} value={value} onChange={(v) => onChange(v)} />
  );
}
