import { Button, Dropdown, Segmented, Switch, Tooltip } from "antd";
import type { ReactNode } from "react";

import { keepShadows, type Showing, type StageScene } from "./scene";

export const VIEWS = ["work", "machine", "top", "front", "side"] as const;

interface Props {
  scene: StageScene;
  lit: string[]; // labels of the bodies that are lit
  onChange: () => void; // something of the scene that this draws has changed
  children?: ReactNode; // what one stage has beyond the others
}

/** What every stage has: where to look from, the machine's covers, and the bodies one by one. */
export function StageTools({ scene, lit, onChange, children }: Props) {
  return (
    <div className="stage-tools">
      {VIEWS.map((name, i) => (
        <Tooltip key={name} title={`View: ${name} (${i + 1})`}>
          <Button size="small" onClick={() => scene.view(name)}>
            {name[0].toUpperCase() + name.slice(1)}
          </Button>
        </Tooltip>
      ))}
      <Tooltip title="Machine: shown, ghost, hidden (M)">
        <Button size="small" onClick={() => scene.turnMachine()}>
          Covers
        </Button>
      </Tooltip>
      <Dropdown trigger={["click"]} popupRender={() => <Bodies scene={scene} lit={lit} onChange={onChange} />}>
        <Button size="small">Bodies</Button>
      </Dropdown>
      {scene.hasLimits && (
        <Tooltip title="The travel of every joint of the arm, as an arc">
          <Button
            size="small"
            type={scene.limitsOn ? "primary" : "default"}
            onClick={() => {
              scene.showLimits(!scene.limitsOn);
              onChange();
            }}
          >
            Limits
          </Button>
        </Tooltip>
      )}
      {children}
    </div>
  );
}

function Bodies({ scene, lit, onChange }: { scene: StageScene; lit: string[]; onChange: () => void }) {
  return (
    <div className="bodies">
      {scene.bodyNames.map(({ label, role }) => (
        <div key={label} className="bodies-row">
          <span>
            {label} <i>{role}</i>
          </span>
          <Segmented<Showing>
            size="small"
            value={scene.showingOf(label)}
            options={["shown", "ghost", "hidden"]}
            onChange={(state) => {
              scene.setShowing(label, state);
              onChange();
            }}
          />
        </div>
      ))}
      <div className="bodies-row bodies-light">
        <span>
          shadows <i>off where no graphics card draws</i>
        </span>
        <Switch
          size="small"
          checked={scene.shadows}
          aria-label="Shadows"
          onChange={(on) => {
            keepShadows(on);
            scene.setShadows(on);
            scene.redraw();
            onChange();
          }}
        />
      </div>
      <Button
        size="small"
        type="link"
        disabled={!lit.length}
        onClick={() => {
          scene.isolate(lit);
          onChange();
        }}
      >
        Isolate what is lit
      </Button>
    </div>
  );
}
