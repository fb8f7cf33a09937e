import { toWorld } from '@ample-skin/core/math';
import { isDimension, RULE_NAMES, type Sketch, type SketchPoint, type SketchRule } from '@ample-skin/core/sketch';
import { Button, Segmented } from 'antd';
import { memo } from 'react';
import {
  followsOf,
  freshId,
  offers,
  openSketch,
  pinned,
  putSketch,
  reportOf,
  type SketchTool,
  setSketchTool,
  withoutParts,
} from '../interact/sketching.ts';
import { setStudio, useStudio, viewLink } from '../state/store.ts';
import { NumberField } from './number-field.tsx';

const TOOLS: readonly { id: SketchTool; label: string }[] = [
  { id: 'line', label: 'Line' },
  { id: 'arc', label: 'Arc' },
  { id: 'circle', label: 'Circle' },
  { id: 'ellipse', label: 'Ellipse' },
  { id: 'spline', label: 'Spline' },
  { id: 'point', label: 'Point' },
];
const NEXT: Record<SketchTool, string> = {
  line: 'Click the ends of lines; Esc ends the run',
  arc: 'Click centre, start, end (counter-clockwise)',
  circle: 'Click the centre, then the size',
  ellipse: 'Click the middle, the end of one axis, the other size',
  spline: 'Click control points; the first again closes it, Esc ends it',
  point: 'Click points',
};

/** What is drawn next. */
const DrawChoice = memo(function DrawChoice({ tool }: { tool?: SketchTool }) {
  return (
    <Segmented
      size="small"
      block
      aria-label="Draw"
      options={[{ value: '', label: 'Pick' }, ...TOOLS.map((t) => ({ value: t.id, label: t.label }))]}
      value={tool ?? ''}
      onChange={(v) => setSketchTool((v || undefined) as SketchTool | undefined)}
    />
  );
});
const light = (lit?: string[]) =>
  setStudio(({ sketching: s }) => ({
    sketching: { tool: s?.tool, pending: s?.pending ?? [], chosen: s?.chosen ?? [], ...(lit ? { lit } : {}) },
  }));
/** One rule with its number: drawn anew only when it says something else. What it does is done to the sketch as it is then. */
const RuleRow = memo(function RuleRow({ rule: r, index, mark }: { rule: SketchRule; index: number; mark: string }) {
  const put = (rules: (list: readonly SketchRule[]) => SketchRule[]) => {
    const now = openSketch()?.sketch;
    if (now) putSketch({ ...reportOf(now).sketch, rules: rules(now.rules) });
  };
  return (
    <div className={mark} onMouseEnter={() => light(partsOf(r))} onMouseLeave={() => light()}>
      <span>{RULE_NAMES[r.type]}</span>
      {isDimension(r) ? (
        <NumberField
          label={`${RULE_NAMES[r.type]} ${index + 1}`}
          value={r.value}
          quantity={r.type === 'angle' ? 'angle' : 'length'}
          onCommit={(value) => put((list) => list.map((x) => (x.id === r.id ? ({ ...x, value } as SketchRule) : x)))}
        />
      ) : (
        <span />
      )}
      <Button
        type="text"
        size="small"
        aria-label={`Remove ${RULE_NAMES[r.type].toLowerCase()} ${index + 1}`}
        onClick={() => put((list) => list.filter((x) => x.id !== r.id))}
      >
        ×
      </Button>
    </div>
  );
});

/** The part of a sketch's card: drawing tools, rules for what is chosen, dimensions, freedoms. */
export function SketchField({ sketch }: { sketch: Sketch }) {
  const state = useStudio((s) => s.sketching);
  useStudio((s) => s.dials);
  const chosen = state?.chosen ?? [];
  useStudio((s) => s.steps);
  const report = reportOf(sketch);
  const list = offers(report.sketch, chosen);
  const add = (rule: Record<string, unknown>) => {
    putSketch({ ...report.sketch, rules: [...sketch.rules, { id: freshId('r', sketch), ...rule } as SketchRule] });
    setStudio({ sketching: { pending: [], chosen: [] } });
  };
  const curves = chosen.filter((id) => sketch.curves.some((c) => c.id === id));
  const only = chosen.length === 1 && !curves.length ? chosen[0] : undefined;
  const follower = sketch.points.find((p) => p.id === only && p.follows);
  const putPoint = (p: SketchPoint) => putSketch({ ...sketch, points: sketch.points.map((q) => (q.id === p.id ? p : q)) });
  const inConflict = new Set(report.conflicts.flat());
  return (
    <div className="sketchfield">
      <DrawChoice tool={state?.tool} />
      <p className="soft note">
        {state?.tool ? NEXT[state.tool] : chosen.length ? `${chosen.length} chosen` : 'Drag points; click points and curves to choose them'}
      </p>
      {chosen.length > 0 && (
        <div className="actions" role="toolbar" aria-label="Rules for what is chosen">
          {list.map((o) => (
            <Button size="small" key={o.label} onClick={() => add(o.rule)}>
              {o.label}
            </Button>
          ))}
          {only &&
            (follower ? (
              <Button size="small" onClick={() => putPoint({ ...follower, follows: undefined })}>
                Let go
              </Button>
            ) : (
              followsOf(report.sketch, only).map((f) => (
                <Button
                  size="small"
                  key={f.pick}
                  onClick={() =>
                    putPoint({ ...(sketch.points.find((p) => p.id === only) as SketchPoint), follows: { pick: f.pick, share: f.share } })
                  }
                >
                  {f.label}
                </Button>
              ))
            ))}
          {curves.length > 0 && (
            <Button
              size="small"
              onClick={() =>
                putSketch({ ...sketch, curves: sketch.curves.map((c) => (curves.includes(c.id) ? { ...c, help: !c.help } : c)) })
              }
            >
              Help line
            </Button>
          )}
          <Button
            size="small"
            onClick={() => {
              putSketch(withoutParts(sketch, chosen));
              setStudio({ sketching: { pending: [], chosen: [] } });
            }}
          >
            Delete
          </Button>
        </div>
      )}
      <div className="rules">
        {sketch.rules.map((r, i) => (
          <RuleRow key={r.id} rule={r} index={i} mark={inConflict.has(i) ? 'bad' : report.redundant.includes(i) ? 'dim' : ''} />
        ))}
      </div>
      <div className="sketchfoot">
        <span className={report.freedom === 0 && report.solved ? 'good' : 'soft'}>
          {!report.solved
            ? report.conflicts.length
              ? 'Rules contradict each other'
              : 'Rules cannot be met'
            : report.freedom === 0
              ? 'Nothing is loose'
              : `${report.freedom} ${report.freedom === 1 ? 'freedom' : 'freedoms'} left`}
        </span>
        {report.sketch.points.length > 1 && (
          <Button
            size="small"
            title="Turns the view straight at the sketch"
            onClick={() => {
              const o = openSketch();
              if (o)
                viewLink()?.lookAt(
                  o.frame,
                  report.sketch.points.map((p) => toWorld(o.frame, [p.x, p.y])),
                );
            }}
          >
            Look at it
          </Button>
        )}
        {report.solved && report.freedom > 0 && sketch.points.length > 0 && (
          <Button size="small" onClick={() => putSketch(pinned(report.sketch))}>
            Pin everything
          </Button>
        )}
      </div>
    </div>
  );
}
function partsOf(r: SketchRule): string[] {
  return Object.entries(r).flatMap(([k, v]) => (['a', 'b', 'point', 'curve', 'line'].includes(k) ? [v as string] : []));
}
