import { Segmented } from "antd";

/** The tabs over an inspector. `tabs`: value and label, in their order. */
export function Tabs<T extends string>({ value, tabs, onChange }: { value: T; tabs: readonly (readonly [T, string])[]; onChange: (tab: T) => void }) {
  return <Segmented<T> block size="small" className="tabs" value={value} onChange={onChange} options={tabs.map(([value, label]) => ({ value, label }))} />;
}
