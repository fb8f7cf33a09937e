import { z } from 'zod';
import { type Body, combineBodies, type KernelService, massProperties, sewBodies, splitBody, subBody, topologyOf } from '../brep/index.ts';
import { type CutRegion, curtainCutter, cutRegions, normalCutter, planeCutter, regionsAt } from '../joins/index.ts';
import { dot, formatNumber, sub, type Vec3 } from '../math/index.ts';
import { closestOnSurface, planeOf, surfaceNormal } from '../nurbs/index.ts';
import { bodyPiece, type Diagnostic, defineTool, failure, type Input, inputBody, inputCurves, inputPlane, type Mark, type Piece, param, slot, type ToolContext } from '../recipe/index.ts';

export default defineTool({
  id: 'trim',
  version: 1,
  stage: 'joins',
  group: 'Cut',
  label: 'Trim',
  hint: 'Cuts skins by skins, planes or curves; click the pieces to keep',
  icon: ['M3 15c6-3 12-3 18 0', 'M12 4v7m0 4v5', 'M3 15c3-1.500 6-2.200 9-2.200'],
  slots: {
    target: slot({ label: 'Cut', accepts: ['body'], min: 1, max: 1, consumes: true }),
    cutters: slot({ label: 'With', accepts: ['body', 'flat', 'chain'], min: 1, max: 50 }),
  },
  params: z.object({
    mode: param.choice({
      label: 'Which cuts',
      options: [
        { value: 'one', label: 'One' },
        { value: 'both', label: 'Both' },
        { value: 'split', label: 'Split only' },
      ],
      default: 'one',
      hint: 'Both: target and cutter cut each other and are knitted',
    }),
    keep: param.choice({
      label: 'Keep',
      options: [
        { value: 'picked', label: 'Picked' },
        { value: 'front', label: 'In front' },
        { value: 'behind', label: 'Behind' },
      ],
      default: 'picked',
      hint: 'In front: on the side the cutting plane or skin looks to',
      when: { key: 'mode', is: ['one', 'both'] },
    }),
    places: param.places({ label: 'Pieces to keep', hint: 'Click pieces in the view; the largest when none is clicked', when: { key: 'keep', is: ['picked'] } }),
    direction: param.choice({
      label: 'Curves cut along',
      options: [
        { value: 'plane', label: 'Own plane' },
        { value: 'normal', label: 'Normals' },
        { value: 'x', label: 'X' },
        { value: 'y', label: 'Y' },
        { value: 'z', label: 'Z' },
      ],
      default: 'plane',
    }),
  }),
  examples: [{ params: {} }, { params: { mode: 'split' } }],
  async evaluate(inputs, p, context) {
    const target = inputBody(inputs.target[0]);
    if (!target) return failure('not-a-skin', 'Only skins and solids can be cut');
    const cutters: { body: Body; input: Input; name: string; frame?: ReturnType<typeof inputPlane> }[] = [];
    for (const [i, input] of inputs.cutters.entries()) {
      const made = cutterOf(input, target, p.direction, context.tolerance);
      if (typeof made === 'string') return failure('cutter', `Cutter ${i + 1}: ${made}`);
      cutters.push({ body: made, input, name: `${context.stepId}${i ? `.${i}` : ''}` });
    }
    const first = await cutAndKeep(
      target,
      cutters.map((c) => c.body),
      p.mode === 'split' ? 'all' : p.keep,
      p.places,
      context,
    );
    if ('problem' in first) return failure('no-cut', first.problem, first.place);
    const outputs: Record<string, Piece> = {};
    const diagnostics: Diagnostic[] = [];
    if (p.mode === 'split') {
      const loose = target.solids.length > 0;
      first.regions.forEach((r, i) => {
        outputs[i === 0 ? 'main' : `part${i + 1}`] = bodyPiece(loose ? r.body : subBody(first.body, r.region.faces));
      });
    } else if (p.mode === 'both') {
      const tools = cutters.map((c) => inputBody(c.input)).filter((b): b is Body => !!b);
      if (tools.length !== cutters.length) return failure('both-needs-skins', 'Only skins can cut each other: choose "One" for planes and curves');
      const others: Body[] = [];
      for (const t of tools) {
        const r = await cutAndKeep(t, [target], p.keep, p.places, context);
        if ('problem' in r) return failure('no-cut', r.problem, r.place);
        others.push(r.kept);
      }
      const knitted = await sewBodies(context.kernel, [first.kept, ...others], Math.max(10 * context.tolerance, 1e-4), { signal: context.signal, limit: context.limit });
      outputs.main = bodyPiece(knitted.body);
      if (knitted.multiple) diagnostics.push({ severity: 'warning', code: 'crowded', message: 'More than two faces meet along the cut' });
    } else outputs.main = bodyPiece(first.kept);
    const marks: Mark[] = first.regions.map((r, i) => ({ kind: 'region', body: first.body, faces: r.region.faces, at: r.region.at, kept: p.mode === 'split' || first.keptIndex.has(i) }));
    return {
      outputs,
      diagnostics,
      marks,
      facts: [
        { label: 'pieces', value: String(first.regions.length) },
        { label: 'kept', value: String(p.mode === 'split' ? first.regions.length : first.keptIndex.size) },
        { label: 'area kept', value: `${formatNumber(outputs.main.kind === 'skin' || outputs.main.kind === 'solid' ? massProperties(outputs.main.body).area : 0, 2)} mm²` },
      ],
    };
  },
});

function cutterOf(input: Input, target: Body, direction: string, tolerance: number): Body | string {
  const curves = inputCurves(input);
  if (curves.length) {
    if (direction === 'normal') return normalCutter(curves, target, 0.05 * Math.sqrt(massProperties(target).area), tolerance * 0.1);
    if (direction !== 'plane') return curtainCutter(curves, direction === 'x' ? [1, 0, 0] : direction === 'y' ? [0, 1, 0] : [0, 0, 1], target);
    const plane = planeOf(curves);
    if (!plane || plane.deviation > 1e-4) return 'the curve is not flat, so it has no cutting direction of its own: choose a direction';
    return curtainCutter(curves, plane.frame.z, target);
  }
  const body = inputBody(input);
  if (body && input.face === undefined) return body;
  const plane = inputPlane(input);
  return plane ? planeCutter(plane, target) : 'it is neither a skin, a plane nor a curve';
}

interface Kept {
  readonly body: Body;
  readonly kept: Body;
  readonly regions: readonly { region: CutRegion; body: Body }[];
  readonly keptIndex: ReadonlySet<number>;
}
async function cutAndKeep(
  target: Body,
  tools: readonly Body[],
  keep: 'picked' | 'front' | 'behind' | 'all',
  places: readonly Vec3[],
  context: ToolContext,
): Promise<Kept | { problem: string; place?: Vec3[] }> {
  const { body, cut, short } = await split(context.kernel, target, tools, context);
  if (!cut.length && (!target.solids.length || body.solids.length < 2))
    return {
      problem: short ? 'The cutter is too short: it ends inside the skin and does not part it. Extend it or use a longer one' : 'The cutter does not reach the skin: nothing was cut. Move it',
      place: [massProperties(target).areaCentre],
    };
  let regions: { region: CutRegion; body: Body }[];
  if (target.solids.length) {
    regions = body.solids.map((shells) => {
      const faces = shells.flatMap((s) => body.shells[s].faces);
      const part = subBody(body, faces);
      const whole: Body = { ...part, solids: [part.shells.map((_, i) => i)] };
      const m = massProperties(body, faces);
      return { region: { faces, area: m.area, at: m.centre, centre: m.centre }, body: whole };
    });
  } else {
    const list = cutRegions(body, cut);
    if (list.length < 2) {
      const e = body.edges[cut[0]];
      return {
        problem: 'The cut ends inside the skin and does not part it: the cutter is too short. Extend it or use a longer one',
        place: [body.vertices[e.start].point, body.vertices[e.end].point],
      };
    }
    regions = list.map((region) => ({ region, body: subBody(body, region.faces) }));
  }
  regions.sort((a, b) => b.region.area - a.region.area);
  const keptIndex = new Set<number>();
  if (keep === 'all') regions.forEach((_, i) => keptIndex.add(i));
  else if (keep === 'picked') {
    if (places.length)
      for (const i of regionsAt(
        body,
        regions.map((r) => r.region),
        places,
      ))
        keptIndex.add(i);
    else keptIndex.add(0);
  } else {
    regions.forEach((r, i) => {
      if (inFront(r.region.at, tools[0]) === (keep === 'front')) keptIndex.add(i);
    });
    if (!keptIndex.size) return { problem: `No piece lies ${keep === 'front' ? 'in front of' : 'behind'} the cutter: choose the other side` };
  }
  const chosen = [...keptIndex].map((i) => regions[i]);
  const kept = target.solids.length
    ? mergeSolids(chosen.map((c) => c.body))
    : subBody(
        body,
        chosen.flatMap((c) => [...c.region.faces]),
      );
  return { body, kept, regions, keptIndex };
}
const mergeSolids = (list: Body[]): Body => (list.length === 1 ? list[0] : combineBodies(list));

function inFront(at: Vec3, tool: Body): boolean {
  let best: { d: number; side: number } = { d: Infinity, side: 0 };
  for (const f of tool.faces) {
    const foot = closestOnSurface(f.surface, at);
    const n = surfaceNormal(f.surface, foot.u, foot.v);
    const v = sub(at, foot.point);
    const side = dot(v, f.reversed ? ([-n[0], -n[1], -n[2]] as Vec3) : n);
    if (foot.distance < best.d) best = { d: foot.distance, side };
  }
  return best.side > 0;
}

async function split(kernel: KernelService, target: Body, tools: readonly Body[], context: ToolContext) {
  const r = await splitBody(kernel, target, tools, context.tolerance, context.stepId, { signal: context.signal, limit: context.limit });
  if (target.solids.length) return r;
  // edges that were rims of the target already are no cuts
  const { uses } = topologyOf(r.body);
  return { body: r.body, cut: r.cut.filter((e) => uses[e].length > 0), short: r.short };
}
