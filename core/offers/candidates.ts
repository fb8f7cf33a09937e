import type { z } from 'zod';
import { type Body, edgeCurve, edgePoint, topologyOf } from '../brep/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import { arcLength } from '../nurbs/index.ts';
import type { Change, Model, Pick, RecipeEdit, Step, StepResult, Tool } from '../recipe/index.ts';
import { freeId, metaOf, partName, partPlace } from '../recipe/index.ts';

/** A seam that is below its target: where it is in the recipe, and how it lies. */
export interface SeamToMend {
  readonly step: string;
  readonly output: string;
  readonly body: Body;
  readonly edge: number;
  readonly grade: 1 | 2 | 3;
}
/** A change of the recipe that may bring a seam to its target; not tried yet. */
export interface Candidate {
  readonly label: string;
  readonly edit: RecipeEdit;
  /** The piece in which the seam is afterwards, and the beginning of its edges' names when it is a new one. */
  readonly piece: { readonly step: string; readonly output: string };
  readonly renamed?: string;
}
type Tools = ReadonlyMap<string, Tool>;
type Results = ReadonlyMap<string, StepResult>;

const labelOf = (s: Step, tools: Tools) => s.name ?? tools.get(s.tool)?.label ?? s.tool;
const isGrade = (schema: z.ZodType): boolean => {
  const { options } = metaOf(schema);
  return !!options?.length && options.every((o) => /^[0-3]$/.test(o.value) && o.label.startsWith(`G${o.value}`));
};
const raised = (shape: Record<string, unknown>, values: Readonly<Record<string, unknown>>, grade: number): [string, string][] =>
  Object.entries(shape).flatMap(([key, schema]): [string, string][] => {
    if (!isGrade(schema as z.ZodType)) return [];
    const now = Number(values[key] ?? (schema as { parse: (x: undefined) => unknown }).parse(undefined));
    return now < grade ? [[key, String(grade)]] : [];
  });

/** Steps the piece is made from, itself included, the nearest first. */
function upstream(model: Model, step: string): Step[] {
  const byId = new Map(model.steps.map((s) => [s.id, s]));
  const out: Step[] = [];
  const queue = [step];
  for (const id of queue) {
    const s = byId.get(id);
    if (!s || out.includes(s)) continue;
    out.push(s);
    for (const picks of Object.values(s.inputs)) for (const p of picks) queue.push(p.step);
  }
  return out;
}

/**
 * Changes of the recipe that may bring a seam to its grade: a higher grade on the tools that made its faces, a denser fit, a match of one of
 * its skins before they are knitted, a fillet of a corner. Likely ones first; whether they do is for whoever tries them to find out.
 */
export function candidatesFor(model: Model, seam: SeamToMend, results: Results, tools: Tools): Candidate[] {
  const { body, edge, grade } = seam;
  const piece = { step: seam.step, output: seam.output };
  const refs = topologyOf(body).uses[edge];
  const faces = [...new Set(refs.map((r) => body.faces[r.face].name))];
  const makers = new Set(faces.map((f) => f.split(':')[0].split('.')[0]));
  const list = upstream(model, seam.step);
  const ordered = [...list.filter((s) => makers.has(s.id)), ...list.filter((s) => !makers.has(s.id))].slice(0, 24);
  const out: Candidate[] = [];
  const add = (label: string, changes: Change[], more: Partial<Candidate> = {}) =>
    out.push({ label, edit: { label: `Seam: ${label}`, changes }, piece, ...more });
  for (const s of ordered) {
    const tool = tools.get(s.tool);
    if (!tool) continue;
    const up = raised(tool.params.shape, s.params, grade);
    const name = labelOf(s, tools);
    for (const [key, value] of up.length > 1 ? up : [])
      add(`G${grade} as "${metaOf(tool.params.shape[key] as z.ZodType).label}" of ${name}`, [
        { type: 'setStep', id: s.id, params: { ...s.params, [key]: value } },
      ]);
    if (up.length)
      add(`G${grade} ${up.length > 1 ? 'everywhere' : ''} on ${name}`.replace('  ', ' '), [
        { type: 'setStep', id: s.id, params: { ...s.params, ...Object.fromEntries(up) } },
      ]);
    for (const [slotName, slot] of Object.entries(tool.slots)) {
      if (!slot.each || !s.inputs[slotName]?.length) continue;
      const picks = s.inputs[slotName].map((p): Pick => {
        const ups = raised((slot.each as z.ZodObject).shape, p.settings ?? {}, grade);
        return ups.length ? { ...p, settings: { ...p.settings, ...Object.fromEntries(ups) } } : p;
      });
      if (picks.some((p, i) => p !== s.inputs[slotName][i]))
        add(`G${grade} at all of "${slot.label}" of ${name}`, [{ type: 'setStep', id: s.id, inputs: { ...s.inputs, [slotName]: picks } }]);
    }
    const within = tool.params.shape.tolerance as z.ZodType | undefined;
    if (within && makers.has(s.id)) {
      const now = Number(s.params.tolerance ?? (within as unknown as { parse: (x: undefined) => unknown }).parse(undefined));
      const least = metaOf(within).min ?? 1e-6;
      if (Number.isFinite(now) && now / 10 >= least)
        add(`A fit ten times closer in ${name}`, [{ type: 'setStep', id: s.id, params: { ...s.params, tolerance: now / 10 } }]);
    }
  }
  for (const m of matches(model, seam, list, results, tools)) add(m.label, m.changes);
  const corner = rounded(model, seam);
  if (corner) out.push(corner);
  return out;
}

/** Matches of one skin to the other before the step that knits them. */
function matches(
  model: Model,
  seam: SeamToMend,
  list: readonly Step[],
  results: Results,
  tools: Tools,
): { label: string; changes: Change[] }[] {
  const { body, edge, grade } = seam;
  const names = topologyOf(body).uses[edge].map((r) => body.faces[r.face].name);
  const ends = [0.1, 0.5, 0.9].map((k) =>
    edgePoint(body.edges[edge], body.edges[edge].range[0] + k * (body.edges[edge].range[1] - body.edges[edge].range[0])),
  );
  for (const s of list) {
    if (s.tool !== 'knit') continue;
    const skins = s.inputs.skins ?? [];
    const holders = names.map((n) => skins.findIndex((p) => bodyAt(results, p)?.faces.some((f) => f.name === n)));
    if (holders.some((h) => h < 0) || holders[0] === holders[1]) return [];
    const picks = holders.map((h) => {
      const pick = skins[h];
      const b = bodyAt(results, pick) as Body;
      const e = nearestRim(b, ends);
      const part =
        e === undefined
          ? undefined
          : { kind: 'edge' as const, name: partName(b, 'edge', e), near: partPlace(b, 'edge', e) as [number, number, number] };
      return part ? { pick, part } : undefined;
    });
    if (picks.some((p) => !p)) return [];
    const step = (i: number) => model.steps.find((x) => x.id === skins[holders[i]].step);
    const label = (i: number) => {
      const x = step(i);
      return x ? labelOf(x, tools) : 'the other skin';
    };
    return [0, 1].map((mover) => {
      const id = freeId(model, `${s.id.slice(0, 60)}-match`);
      const [from, to] = [picks[mover], picks[1 - mover]] as { pick: Pick; part: NonNullable<Pick['part']> }[];
      const next: Pick = { step: id, output: 'main' };
      return {
        label: `${label(mover)} matched to ${label(1 - mover)} with G${grade}`,
        changes: [
          {
            type: 'addStep',
            step: {
              id,
              tool: 'match-edge',
              version: 1,
              inputs: {
                edge: [{ step: from.pick.step, output: from.pick.output, part: from.part, settings: { grade: String(grade) } }],
                to: [{ step: to.pick.step, output: to.pick.output, part: to.part }],
              },
              params: { tolerance: 0.0001 },
            },
            before: s.id,
          },
          { type: 'setStep', id: s.id, inputs: { ...s.inputs, skins: skins.map((p, i) => (i === holders[mover] ? next : p)) } },
        ] as Change[],
      };
    });
  }
  return [];
}
const bodyAt = (results: Results, p: Pick): Body | undefined => {
  const piece = results.get(p.step)?.outputs[p.output];
  return piece && (piece.kind === 'skin' || piece.kind === 'solid') ? piece.body : undefined;
};
function nearestRim(b: Body, places: readonly Vec3[]): number | undefined {
  let best: { e: number; d: number } | undefined;
  for (const e of topologyOf(b).rims) {
    const x = b.edges[e];
    const line = Array.from({ length: 33 }, (_, k) => edgePoint(x, x.range[0] + ((x.range[1] - x.range[0]) * k) / 32));
    const d = Math.max(...places.map((p) => Math.min(...line.map((q) => distance(p, q)))));
    if (!best || d < best.d) best = { e, d };
  }
  return best?.e;
}

/** A corner rounded with the grade: a fillet of the seam's edge, its width a share of the edge's length. Later steps take the result. */
function rounded(model: Model, { step, output, body, edge, grade }: SeamToMend): Candidate | undefined {
  const at = model.steps.findIndex((s) => s.id === step);
  if (at < 0 || topologyOf(body).uses[edge].length !== 2) return undefined;
  const id = freeId(model, `${step.slice(0, 60)}-fillet`);
  const width = Number((0.04 * arcLength(edgeCurve(body.edges[edge]))).toPrecision(2));
  const takes = (p: Pick): Pick => (p.step === step && p.output === output ? { ...p, step: id, output: 'main' } : p);
  const later = model.steps.slice(at + 1).flatMap((s): Change[] => {
    const inputs = Object.fromEntries(Object.entries(s.inputs).map(([k, l]) => [k, l.map(takes)]));
    return JSON.stringify(inputs) === JSON.stringify(s.inputs) ? [] : [{ type: 'setStep', id: s.id, inputs }];
  });
  const part = {
    kind: 'edge' as const,
    name: partName(body, 'edge', edge),
    near: partPlace(body, 'edge', edge) as [number, number, number],
  };
  const changes: Change[] = [
    {
      type: 'addStep',
      step: {
        id,
        tool: 'fillet',
        version: 1,
        inputs: { edges: [{ step, output, part }] },
        params: { rule: 'width', width, section: String(grade) },
      },
      ...(model.steps[at + 1] ? { before: model.steps[at + 1].id } : {}),
    },
    ...later,
  ];
  return {
    label: `Its edge filleted ${width} mm wide with G${grade}`,
    edit: { label: `Seam: filleted with G${grade}`, changes },
    piece: { step: id, output: 'main' },
    renamed: `${id}.rail`,
  };
}
