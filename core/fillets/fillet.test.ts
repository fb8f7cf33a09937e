import { describe, expect, it } from 'vitest';
import { type Body, filletByKernel, massProperties, tangentChain, topologyOf } from '../brep/index.ts';
import { localKernel } from '../brep/local.ts';
import { dot, length, sub, unit, type Vec3 } from '../math/index.ts';
import { closestOnSurface, domainV, surfacePoint } from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import { pair } from '../proof/test-shapes.ts';
import { block, cone, loftSolid, meshCracks, prism } from '../testing/random-bodies.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { fillet } from './fillet.ts';
import type { FilletOptions } from './options.ts';

const run = (b: Body, edge: number, o: Partial<FilletOptions> & { size: number; kind?: 'ball' | 'width' | 'tube' }) =>
  fillet(b, tangentChain(b, edge), {
    rule: { kind: o.kind ?? 'ball', size: () => o.size },
    constant: o.size,
    section: 'round',
    reach: 1,
    tolerance: 1e-3,
    name: 'f',
    ...o,
  });
function made(r: ReturnType<typeof fillet>) {
  if (!r.ok) throw new Error(`${r.code}: ${r.message}`);
  return r;
}
const volume = (b: Body) => massProperties(b).volume;
const rails = (b: Body) => measureSeams(b).filter((s) => s.name.includes('.rail'));
/** A crest along x = 0 that stands out everywhere; both sides are curved. */
const crest = () =>
  pair(
    (x, y) => 0.02 * x * x + 0.3 * Math.sin(y / 3),
    (x, y) => 0.3 * Math.sin(y / 3) - x * (0.7 + 0.05 * y),
  );
const shared = (b: Body) => b.edges.findIndex((e) => e.name === 'shared');

describe('fillets on solids of known volume', () => {
  it('takes the corner outside of a quarter circle away from a block', () => {
    const b = block(40, 30, 20);
    for (const [edge, l] of [
      [0, 40],
      [4, 80],
      [9, 60],
    ]) {
      const r = made(run(b, edge, { size: 5 }));
      expect(r.body.solids).toHaveLength(1);
      expect(volume(r.body) - volume(b)).toBeCloseTo(-(1 - Math.PI / 4) * 25 * l, 4);
      expect(Math.max(...rails(r.body).map((s) => s.kink))).toBeLessThan(1e-3);
      expect(meshCracks(r.body)).toBe(0);
    }
  });
  it('sets the same arc by its width, and a flat one by its distance', () => {
    const b = block(40, 30, 20);
    const round = made(run(b, 0, { kind: 'width', size: 6 }));
    expect(volume(round.body) - volume(b)).toBeCloseTo(-(1 - Math.PI / 4) * 18 * 40, 4);
    const flat = made(run(b, 0, { kind: 'tube', size: 6, section: 'flat' }));
    expect(volume(flat.body) - volume(b)).toBeCloseTo(-18 * 40, 6);
  });
  it('turns round the rim of a drum as a ring: Pappus', () => {
    const [R, r] = [20, 4];
    const b = cone(R, R, 30);
    const area = r * r * (1 - Math.PI / 4);
    const centre = (r ** 3 / 2 - ((Math.PI * r * r) / 4) * ((4 * r) / (3 * Math.PI))) / area;
    for (const edge of [1, 2]) {
      const f = made(run(b, edge, { size: r }));
      expect(Math.abs(volume(f.body) - volume(b) + 2 * Math.PI * (R - r + centre) * area)).toBeLessThan(2e-4);
      expect(Math.max(...rails(f.body).map((s) => s.kink))).toBeLessThan(1e-3);
    }
  });
});

it('the kernel, asked for the same edge, takes the same away: its indices follow the text, not the body', async () => {
  const b = prism(
    [
      [0, 0, 0],
      [31, 2, 0],
      [38, 17, 0],
      [9, 25, 0],
    ],
    22,
  );
  for (const edge of [1, 4, 6, 9, 11]) {
    const own = made(run(b, edge, { size: 2 }));
    const other = await filletByKernel(localKernel, b, [edge], 2, 'round', 'k', 1e-3);
    expect(Math.abs(volume(own.body) - volume(other)), `edge ${edge}`).toBeLessThan(1e-3);
    expect(Math.abs(volume(own.body) - volume(b))).toBeGreaterThan(5);
  }
});

describe('sections between curved skins', () => {
  it('rolls a ball that touches both skins, to the rims', () => {
    const b = crest();
    const r = made(run(b, shared(b), { size: 2 }));
    expect(r.body.faces).toHaveLength(3);
    const [v0, v1] = domainV(r.strip);
    for (let i = 0; i <= 12; i++) {
      const v = v0 + ((v1 - v0) * i) / 12;
      // centre of the circle through three places of a section, and its way to the skins by their nearest points
      const [p, q, s] = [0, 0.45, 1].map((u) => surfacePoint(r.strip, u, v));
      const centre = circleCentre(p, q, s);
      expect(length(sub(p, centre))).toBeCloseTo(2, 5);
      if (v < 0.02 || v > 0.98) continue;
      for (const f of b.faces) expect(Math.abs(closestOnSurface(f.surface, centre).distance - 2)).toBeLessThan(5e-6);
    }
    for (const s of rails(r.body)) {
      expect(s.gap).toBeLessThan(2e-6);
      expect(s.kink).toBeLessThan(1e-3);
    }
  });
  it('keeps its width where the angle changes, with G1 to G3 as asked', () => {
    const b = crest();
    for (const section of ['round', 1, 2, 3] as const) {
      const r = made(run(b, shared(b), { kind: 'width', size: 2, section }));
      for (const s of r.survey.sections) expect(length(sub(s.contacts[0].point, s.contacts[1].point))).toBeCloseTo(2, 9);
      for (const s of rails(r.body)) {
        expect(s.kink).toBeLessThan(0.01);
        if (section !== 'round' && section >= 2) expect(s.step).toBeLessThan(0.5);
        if (section === 3) expect(s.flow).toBeLessThan(5);
      }
    }
  });
  it('follows a size that changes', () => {
    const b = crest();
    const r = made(run(b, shared(b), { size: 1, constant: undefined, rule: { kind: 'ball', size: (s) => 0.5 + 1.5 * s } }));
    for (const k of [0.2, 0.5, 0.9]) {
      const [p, q, s] = [0, 0.45, 1].map((u) => surfacePoint(r.strip, u, k));
      expect(length(sub(p, circleCentre(p, q, s)))).toBeCloseTo(0.5 + 1.5 * k, 4);
    }
  });
  it('lays rails at a distance from the edge', () => {
    const b = crest();
    const r = made(run(b, shared(b), { kind: 'tube', size: 1.5, section: 2 }));
    for (const s of r.survey.sections)
      for (const c of s.contacts) expect(length(sub(c.point, r.spine.border.place(s.share).point))).toBeCloseTo(1.5, 9);
  });
});

describe('what cannot be filleted is told', () => {
  it('tells the largest radius found to work: it does, and one far larger does not', () => {
    const b = crest();
    const r = run(b, shared(b), { size: 60, explain: true });
    if (r.ok) throw new Error('a ball of 60 mm fitted');
    const told = Number(/largest radius found to work is ([\d.]+) mm/.exec(r.message)?.[1]);
    expect(told).toBeGreaterThan(5);
    expect(run(b, shared(b), { size: told }).ok).toBe(true);
    expect(run(b, shared(b), { size: 2 * told }).ok).toBe(false);
  });
  it('refuses rims, tangent faces and edges that turn from standing out to hollow', () => {
    const b = crest();
    const rim = topologyOf(b).rims[0];
    const code = (r: ReturnType<typeof fillet>) => (r.ok ? 'ok' : r.code);
    expect(code(run(b, rim, { size: 1 }))).toBe('rim');
    const smooth = pair(
      (x) => 0.02 * x * x,
      (x) => 0.02 * x * x,
    );
    expect(code(run(smooth, shared(smooth), { size: 1 }))).toBe('smooth');
    const turning = pair(
      (x, y) => 0.05 * x * (y - 5),
      () => 0,
    );
    expect(code(run(turning, shared(turning), { size: 1 }))).toBe('turns');
  });
});

const SEEDS = Number(process.env.SEEDS ?? 14);
it(`random edges of random solids (${SEEDS}): sound and tangent, or refused with a place`, () => {
  const kinds = ['ball', 'width', 'tube'] as const;
  let done = 0;
  for (let seed = 0; seed < SEEDS; seed++) {
    const r = randomFrom(seed);
    const n = 3 + Math.floor(r() * 5);
    const corners = Array.from({ length: n }, (_, i): Vec3 => {
      const [a, q] = [((i + 0.7 * r()) / n) * 2 * Math.PI, 12 + 18 * r()];
      return [q * Math.cos(a), q * Math.sin(a), 0];
    });
    const b = r() < 0.7 ? prism(corners, 10 + 20 * r()) : loftSolid(r, 20, 30 + 10 * r(), true);
    const edges = b.edges.flatMap((e, i) => (!e.degenerate && topologyOf(b).uses[i].length === 2 ? [i] : []));
    const edge = edges[Math.floor(r() * edges.length)];
    const kind = kinds[Math.floor(r() * 3)];
    const section =
      kind === 'tube' ? (['flat', 1, 2, 3] as const)[Math.floor(r() * 4)] : (['round', 'flat', 1, 2, 3] as const)[Math.floor(r() * 5)];
    const f = run(b, edge, { kind, section, size: 0.2 * 60 ** r() });
    if (!f.ok) {
      expect(f.message, `seed ${seed}`).not.toBe('');
      expect(f.place?.length, `seed ${seed}: ${f.code}`).toBeGreaterThan(0);
      continue;
    }
    done++;
    expect(topologyOf(f.body).rims.length + meshCracks(f.body), `seed ${seed}`).toBe(0);
    expect(Math.sign(volume(f.body) - volume(b)), `seed ${seed}`).toBe(f.spine.side);
    for (const s of rails(f.body)) {
      expect(s.gap, `seed ${seed}`).toBeLessThan(2.5e-4);
      if (section !== 'flat') expect(s.kink, `seed ${seed}`).toBeLessThan(0.02);
    }
  }
  expect(done).toBeGreaterThan(SEEDS / 3);
}, 600_000);

function circleCentre(a: Vec3, b: Vec3, c: Vec3): Vec3 {
  const [u, v] = [sub(b, a), sub(c, a)];
  const [x, w] = [unit(u), sub(v, unit(u).map((k) => k * dot(v, unit(u))) as unknown as Vec3)];
  const y = unit(w);
  const [bx, cx, cy] = [length(u), dot(v, x), dot(v, y)];
  const [h, k] = [bx / 2, (cx * cx + cy * cy - bx * cx) / (2 * cy)];
  return [0, 1, 2].map((d) => a[d] + h * x[d] + k * y[d]) as unknown as Vec3;
}
