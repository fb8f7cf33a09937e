import {
  type Body,
  BodyBuilder,
  capRim,
  isWatertight,
  makeSolid,
  massProperties,
  orderChain,
  rimChains,
  surfaceBody,
} from '../brep/index.ts';
import { add, cross, type Frame, formatNumber, scale, toWorld, type Vec3 } from '../math/index.ts';
import { circleCurve, lineCurve, type NurbsSurface, revolvedSurface } from '../nurbs/index.ts';
import { bodyPiece, defineEvaluation, drawingFrame, type Fact, failure, type Mark, surfaceFacts } from '../recipe/index.ts';
import { raiseStraight } from '../skins/index.ts';
import tool from './primitive.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const plane = drawingFrame(inputs.plane);
  if (!plane) return failure('not-flat', 'The plane picked is not flat');
  if (!p.centre.length) return failure('too-few', 'Click where it stands');
  const at = toWorld(plane, p.centre[0]);
  const id = context.stepId;
  const lowered = p.middle && (p.shape === 'box' || p.shape === 'cylinder' || p.shape === 'cone');
  const f: Frame = { ...plane, origin: lowered ? add(at, scale(plane.z, -p.height / 2)) : at };
  const on = (x: number, y: number, h: number): Vec3 => toWorld(f, [x, y, h]);
  if (p.shape === 'ring' && p.thick >= p.radius)
    return failure(
      'self-crossing',
      `A ring round of ${formatNumber(p.thick)} mm on a radius of ${formatNumber(p.radius)} mm would run through itself: make it thinner`,
      [at],
    );
  let body: Body;
  let surfaces: NurbsSurface[] = [];
  const marks: Mark[] = [];
  const push = (from: Vec3, direction: Vec3, value: number, param: string, rate = 1): void => {
    marks.push({ kind: 'push', from, direction, value, rate, param, template: '$value', min: 0.01 });
  };
  const builder = new BodyBuilder();
  const turnedAbout = (profile: Parameters<typeof revolvedSurface>[0]) => revolvedSurface(profile, f.origin, f.z, 0, 2 * Math.PI);
  const skin = (s: NurbsSurface, name: string) => {
    surfaces.push(s);
    return surfaceBody(s, { prefix: `${id}.${name}`, face: () => `${id}:${name}` }, builder);
  };
  const cap = () => {
    const made = builder.body();
    if (p.open) return made;
    rimChains(made).forEach((chain, i) => {
      capRim(builder, chain, `${id}:${i ? 'top' : 'foot'}`, 1e-5);
    });
    return builder.body();
  };
  if (p.shape === 'box') {
    const [w, d] = [p.width / 2, p.depth / 2];
    const c = [on(-w, -d, 0), on(w, -d, 0), on(w, d, 0), on(-w, d, 0)];
    const loop = c.map((q, i) => lineCurve(q, c[(i + 1) % 4]));
    const r = raiseStraight(builder, loop, scale(f.z, p.height), id, true);
    if (!p.open)
      for (const [edges, frame, name] of [
        [r.low, { ...f, y: scale(f.y, -1), z: scale(f.z, -1) }, 'foot'],
        [r.high, { ...f, origin: add(f.origin, scale(f.z, p.height)) }, 'top'],
      ] as const)
        builder.flatFace(frame, [orderChain(edges, builder.edges) ?? edges.map((edge) => ({ edge, reversed: false }))], `${id}:${name}`);
    body = builder.body();
    surfaces = body.faces.map((x) => x.surface);
    push(on(0, 0, p.height / 2), f.x, p.width, 'width', 0.5);
    push(on(0, 0, p.height / 2), f.y, p.depth, 'depth', 0.5);
    push(on(0, 0, lowered ? p.height / 2 : 0), f.z, p.height, 'height', lowered ? 0.5 : 1);
  } else if (p.shape === 'ball' || p.shape === 'ellipsoid') {
    const [rx, ry, rz] = p.shape === 'ball' ? [p.radius, p.radius, p.radius] : [p.width / 2, p.depth / 2, p.height / 2];
    const half = circleCurve({ origin: f.origin, x: scale(f.z, -1), y: f.x, z: cross(scale(f.z, -1), f.x) }, 1, 0, Math.PI);
    const s = turnedAbout(half);
    const control = new Float64Array(s.control);
    for (let i = 0; i < control.length; i += 4) {
      const w = control[i + 3];
      const q: Vec3 = [control[i] / w - f.origin[0], control[i + 1] / w - f.origin[1], control[i + 2] / w - f.origin[2]];
      const local = [f.x, f.y, f.z].map((a) => a[0] * q[0] + a[1] * q[1] + a[2] * q[2]);
      const moved = toWorld(f, [local[0] * rx, local[1] * ry, local[2] * rz]);
      for (let k = 0; k < 3; k++) control[i + k] = moved[k] * w;
    }
    skin({ ...s, control }, 'round');
    body = builder.body();
    if (p.shape === 'ball') push(f.origin, f.x, p.radius, 'radius');
    else {
      push(f.origin, f.x, p.width, 'width', 0.5);
      push(f.origin, f.y, p.depth, 'depth', 0.5);
      push(f.origin, f.z, p.height, 'height', 0.5);
    }
  } else if (p.shape === 'ring') {
    skin(turnedAbout(circleCurve({ origin: on(p.radius, 0, 0), x: f.x, y: f.z, z: cross(f.x, f.z) }, p.thick)), 'ring');
    body = builder.body();
    push(f.origin, f.x, p.radius, 'radius');
    push(on(p.radius, 0, 0), f.z, p.thick, 'thick');
  } else {
    const top = p.shape === 'cylinder' ? p.radius : p.top;
    skin(turnedAbout(lineCurve(on(p.radius, 0, 0), on(top, 0, p.height))), 'side');
    body = cap();
    push(on(0, 0, lowered ? p.height / 2 : 0), f.z, p.height, 'height', lowered ? 0.5 : 1);
    push(on(0, 0, 0), f.x, p.radius, 'radius');
    if (p.shape === 'cone' && p.top > 0) push(on(0, 0, p.height), f.x, p.top, 'top');
  }
  const facts: Fact[] = surfaceFacts(surfaces.slice(0, 1));
  if (isWatertight(body)) {
    const solid = makeSolid(body);
    if (!solid.ok) return failure('no-solid', solid.message);
    body = solid.body;
    facts.push({ label: 'volume', value: `${formatNumber(massProperties(body).volume, 3)} mm³` });
  } else facts.push({ label: 'area', value: `${formatNumber(massProperties(body).area, 3)} mm²` });
  return { outputs: { main: bodyPiece(body) }, marks, facts };
});
