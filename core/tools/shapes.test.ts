import { describe, expect, it } from 'vitest';
import { faceNormal, isWatertight, massProperties, topologyOf, usedRange } from '../brep/index.ts';
import { closestOnSurface, domainU, domainV, surfacePoint } from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import type { Pick } from '../recipe/index.ts';
import { bodyOf, onPlane, run, square, step, volume } from '../testing/run.ts';

describe('picks', () => {
  it('what does not fit its slot is told, and profiles that cross each other', async () => {
    const r = await run(
      step('c', 'circle', { radius: 5 }),
      step('d', 'circle', { radius: 5, centre: [[4, 0]] }),
      step('e', 'extrude', {}, { profile: ['c'] }),
      step('g', 'grid-skin', { columns: 2 }, { points: ['c', 'c', 'c', 'c'] }),
      step('x', 'extrude', {}, { profile: ['e'] }),
      step('both', 'extrude', { cap: false }, { profile: ['c', 'd'] }),
      step('flat', 'flat-skin', {}, { loops: ['c', 'd'] }),
      step('ruled', 'ruled', { cap: true }, { ends: ['c', 'd'] }),
    );
    for (const id of ['g', 'x']) expect(r.get(id)?.diagnostics[0].code).toBe('does-not-fit');
    expect(r.get('x')?.diagnostics[0].message).toContain('takes a curve or edge');
    for (const [id, code] of [
      ['both', 'profile-crosses'],
      ['flat', 'loops-cross'],
      ['ruled', 'curves-cross'],
    ]) {
      const d = r.get(id)?.diagnostics.find((x) => x.code === code);
      expect(d?.place?.length).toBe(2);
      for (const p of d?.place ?? []) expect(Math.abs(p[0] - 2)).toBeLessThan(1e-6);
    }
  });
});

describe('extrude', () => {
  it('a square with a round hole gives one hollow solid of exact volume', async () => {
    const r = await run(
      step('a', 'polyline', { points: square(10), closed: true }),
      step('b', 'circle', { radius: 4 }),
      step('e', 'extrude', { distance: 12 }, { profile: ['a', 'b'] }),
    );
    const b = bodyOf(r, 'e');
    expect(b.solids.length).toBe(1);
    expect(b.faces.length).toBe(4 + 1 + 2);
    expect(Math.abs(volume(b) / ((400 - Math.PI * 16) * 12) - 1)).toBeLessThan(1e-12);
    expect(massProperties(b).centre[2]).toBeCloseTo(6, 9);
  });
  it('both sides, symmetric and along a line', async () => {
    const r = await run(
      step('a', 'circle', { radius: 5 }),
      step('l', 'polyline', {
        points: [
          [0, 0, 0],
          [0, 3, 4],
        ],
      }),
      step('both', 'extrude', { extent: 'both', distance: 10, back: 4 }, { profile: ['a'] }),
      step('even', 'extrude', { extent: 'symmetric', distance: 10 }, { profile: ['a'] }),
      step('slant', 'extrude', { distance: 10 }, { profile: ['a'], along: ['l'] }),
      step('open', 'extrude', { distance: 10, cap: false }, { profile: ['a'] }),
    );
    expect(volume(bodyOf(r, 'both'))).toBeCloseTo(25 * Math.PI * 14, 8);
    expect(massProperties(bodyOf(r, 'both')).centre[2]).toBeCloseTo(3, 9);
    expect(massProperties(bodyOf(r, 'even')).centre[2]).toBeCloseTo(0, 9);
    // ten along (0, 3, 4)/5 rises eight
    expect(volume(bodyOf(r, 'slant'))).toBeCloseTo(25 * Math.PI * 8, 8);
    expect(bodyOf(r, 'open').solids.length).toBe(0);
    expect(topologyOf(bodyOf(r, 'open')).rims.length).toBe(2);
    expect(massProperties(bodyOf(r, 'open')).area).toBeCloseTo(100 * Math.PI, 8);
  });
  it('draft: a square becomes a frustum with mitred corners, a circle a cone, a hole widens; all exact', async () => {
    const t = Math.tan((5 * Math.PI) / 180) * 12;
    const r = await run(
      step('a', 'polyline', { points: square(10), closed: true }),
      step('c', 'circle', { radius: 4 }),
      step('pyramid', 'extrude', { distance: 12, draft: 5 }, { profile: ['a'] }),
      step('wide', 'extrude', { distance: 12, draft: -5 }, { profile: ['a'] }),
      step('cone', 'extrude', { distance: 12, draft: 5 }, { profile: ['c'] }),
      step('ring', 'extrude', { distance: 12, draft: 5 }, { profile: ['a', 'c'] }),
      step('both', 'extrude', { distance: 24, extent: 'symmetric', draft: 5 }, { profile: ['a'] }),
      step('steep', 'extrude', { distance: 12, draft: 45 }, { profile: ['a'] }),
      step('fold', 'extrude', { distance: 12, draft: 30 }, { profile: ['c'] }),
    );
    const frustum = (x: number, y: number) => (12 / 3) * (x * x + x * y + y * y);
    expect(bodyOf(r, 'pyramid').faces.length).toBe(6);
    expect(Math.abs(volume(bodyOf(r, 'pyramid')) / frustum(20, 20 - 2 * t) - 1)).toBeLessThan(1e-9);
    expect(Math.abs(volume(bodyOf(r, 'wide')) / frustum(20, 20 + 2 * t) - 1)).toBeLessThan(1e-9);
    expect(Math.abs(volume(bodyOf(r, 'cone')) / (Math.PI * frustum(4, 4 - t)) - 1)).toBeLessThan(1e-12);
    expect(Math.abs(volume(bodyOf(r, 'ring')) / (frustum(20, 20 - 2 * t) - Math.PI * frustum(4, 4 + t)) - 1)).toBeLessThan(1e-9);
    expect(Math.abs(volume(bodyOf(r, 'both')) / (2 * frustum(20, 20 - 2 * t)) - 1)).toBeLessThan(1e-9);
    expect(r.get('steep')?.diagnostics[0].message).toContain('vanishes');
    expect(r.get('fold')?.diagnostics[0].message).toContain('fold');
  });
  it('draft on a curved profile with corners: the wall leans by the angle everywhere', async () => {
    const r = await run(
      step('a', 'circle', { radius: 10, part: 'arc', start: 0, end: 180 }),
      step('b', 'spline', {
        points: [
          [-10, 0],
          [-4, -9],
          [5, -3],
          [10, 0],
        ],
        degree: 3,
      }),
      step('e', 'extrude', { distance: 8, draft: 4 }, { profile: ['a', 'b'] }),
    );
    const b = bodyOf(r, 'e');
    expect(b.solids.length).toBe(1);
    for (const f of b.faces.filter((x) => x.name.includes('side'))) {
      for (const [x, y] of [
        [0.3, 0.2],
        [0.5, 0.9],
        [0.7, 0.5],
      ]) {
        const [u0, u1, v0, v1] = usedRange(f, b);
        const n = faceNormal(f, u0 + x * (u1 - u0), v0 + y * (v1 - v0));
        expect(Math.abs((Math.asin(n[2]) * 180) / Math.PI - 4)).toBeLessThan(1e-4);
      }
    }
    for (const s of measureSeams(b)) expect(s.gap).toBeLessThan(2e-6);
  });
  it('up to a slanted plane, and up to a skin; a skin that does not cover the profile is refused', async () => {
    const r = await run(
      step('a', 'circle', { radius: 5 }),
      step('p', 'work-plane', { offset: [0, 0, 20], turns: [0, 20, 0] }),
      step('e', 'extrude', { extent: 'to' }, { profile: ['a'], upTo: ['p'] }),
    );
    // a cylinder cut by a slanted plane has the volume to the plane's height on its axis
    expect(Math.abs(volume(bodyOf(r, 'e')) / (Math.PI * 25 * 20) - 1)).toBeLessThan(1e-6);
    const r2 = await run(
      step('front', 'work-plane', { base: 'yz' }),
      { ...step('w', 'circle', { radius: 30 }), inputs: { plane: [{ step: 'front', output: 'main' }] } },
      step('pipe', 'extrude', { distance: 200, extent: 'symmetric', cap: false }, { profile: ['w'] }),
      step('a', 'polyline', { points: square(5), closed: true }),
      step('e', 'extrude', { extent: 'to' }, { profile: ['a'], upTo: ['pipe'] }),
      step('low', 'work-plane', { offset: [0, 0, 12] }),
      { ...step('d', 'circle', { radius: 3 }), inputs: { plane: [{ step: 'low', output: 'main' }] } },
      step('lid', 'flat-skin', {}, { loops: ['d'] }),
      step('not', 'extrude', { extent: 'to' }, { profile: ['a'], upTo: ['lid'] }),
      step('none', 'extrude', { extent: 'to' }, { profile: ['a'] }),
    );
    // height is sqrt(900 - y^2) over a square of 10
    const column = 10 * (5 * Math.sqrt(875) + 900 * Math.asin(5 / 30));
    expect(Math.abs(volume(bodyOf(r2, 'e')) / column - 1)).toBeLessThan(1e-6);
    expect(r2.get('not')?.diagnostics[0].code).toBe('not-reached');
    expect(r2.get('none')?.diagnostics[0].code).toBe('no-object');
  });
  it('refuses what has no direction or no length', async () => {
    const r = await run(
      step('a', 'spline', {
        flat: false,
        points: [
          [0, 0, 0],
          [10, 0, 5],
          [10, 10, 0],
          [0, 10, 7],
        ],
      }),
      step('e', 'extrude', {}, { profile: ['a'] }),
      step('c', 'circle'),
      step('z', 'extrude', { distance: 0 }, { profile: ['c'] }),
    );
    expect(r.get('e')?.diagnostics[0].code).toBe('no-direction');
    expect(r.get('z')?.diagnostics[0].code).toBe('no-distance');
  });
});

describe('revolve', () => {
  const profile = step('p', 'polyline', {
    points: [
      [4, 0],
      [8, 0],
      [8, 10],
      [4, 10],
    ],
    closed: true,
  });
  const front = step('f', 'work-plane', { base: 'xz' });
  const onFront = { ...profile, inputs: { plane: [{ step: 'f', output: 'main' }] } };
  it('a rectangle off the axis gives a ring by the theorem of Pappus, full and in part', async () => {
    const r = await run(
      front,
      onFront,
      step('full', 'revolve', {}, { profile: ['p'] }),
      step('part', 'revolve', { extent: 'angles', start: 20, end: 110, cap: true }, { profile: ['p'] }),
      step('even', 'revolve', { extent: 'symmetric', angle: 60, cap: true }, { profile: ['p'] }),
    );
    expect(Math.abs(volume(bodyOf(r, 'full')) / (2 * Math.PI * 6 * 40) - 1)).toBeLessThan(1e-12);
    expect(bodyOf(r, 'full').solids.length).toBe(1);
    expect(Math.abs(volume(bodyOf(r, 'part')) / ((Math.PI / 2) * 6 * 40) - 1)).toBeLessThan(1e-12);
    expect(Math.abs(volume(bodyOf(r, 'even')) / ((Math.PI / 3) * 6 * 40) - 1)).toBeLessThan(1e-12);
  });
  it('a half circle on the axis gives a ball with poles', async () => {
    const r = await run(
      front,
      { ...step('c', 'circle', { radius: 7, part: 'arc', start: -90, end: 90 }), inputs: { plane: [{ step: 'f', output: 'main' }] } },
      step('b', 'revolve', {}, { profile: ['c'] }),
    );
    expect(isWatertight(bodyOf(r, 'b'))).toBe(true);
    expect(Math.abs(volume(bodyOf(r, 'b')) / ((4 / 3) * Math.PI * 343) - 1)).toBeLessThan(1e-12);
  });
  it('guided: a straight profile round an ellipse is an elliptic cylinder; a slanted guide lifts the top', async () => {
    const r = await run(
      front,
      {
        ...step('p', 'polyline', {
          points: [
            [10, 0],
            [10, 15],
          ],
        }),
        inputs: { plane: [{ step: 'f', output: 'main' }] },
      },
      step('e', 'ellipse', { radiusX: 10, radiusY: 6 }),
      step('g', 'revolve', { cap: true }, { profile: ['p'], guide: ['e'] }),
      step('up', 'work-plane', { offset: [0, 0, 15] }),
      { ...step('c', 'circle', { radius: 10 }), inputs: { plane: [{ step: 'up', output: 'main' }] } },
      step('tilt', 'move', { turns: [0, 0, 0], by: [0, 0, 0] }, { pieces: ['c'] }),
      step('o', 'revolve', {}, { profile: ['p'], guide: ['tilt'] }),
      step('axis', 'polyline', {
        points: [
          [0, 0, 0],
          [0, 0, 5],
        ],
      }),
      step('bad', 'revolve', {}, { profile: ['p'], guide: ['axis'] }),
    );
    expect(Math.abs(volume(bodyOf(r, 'g')) / (Math.PI * 60 * 15) - 1)).toBeLessThan(1e-9);
    expect(bodyOf(r, 'g').solids.length).toBe(1);
    expect(massProperties(bodyOf(r, 'o')).area).toBeCloseTo(2 * Math.PI * 10 * 15, 6);
    expect(r.get('bad')?.diagnostics[0].code).toBe('guide-on-axis');
  });
  it('a profile across the axis is refused with the place', async () => {
    const r = await run(
      front,
      { ...step('c', 'circle', { radius: 7 }), inputs: { plane: [{ step: 'f', output: 'main' }] } },
      step('b', 'revolve', {}, { profile: ['c'] }),
    );
    expect(r.get('b')?.diagnostics[0].code).toBe('crosses-axis');
    expect(r.get('b')?.diagnostics[0].place?.length).toBe(1);
  });
});

describe('flat skin', () => {
  it('tells an open loop and a loop that is not flat, with the amount', async () => {
    const r = await run(
      step('a', 'polyline', {
        points: [
          [0, 0],
          [10, 0],
          [10, 10],
          [0, 0.5],
        ],
      }),
      step('o', 'flat-skin', {}, { loops: ['a'] }),
      step('b', 'polyline', {
        points: [
          [0, 0, 0],
          [10, 0, 1],
          [10, 10, 0],
          [0, 10, 1],
        ],
        closed: true,
      }),
      step('n', 'flat-skin', {}, { loops: ['b'] }),
    );
    expect(r.get('o')?.diagnostics[0].message).toContain('0.5 mm');
    expect(r.get('n')?.diagnostics[0].message).toMatch(/0\.5\d* mm out of one plane/);
  });
});

describe('trim and split', () => {
  const block = [
    step('a', 'polyline', { points: square(10), closed: true }),
    step('e', 'extrude', { distance: 20 }, { profile: ['a'] }),
    step('p', 'work-plane', { offset: [0, 0, 5] }),
  ];
  it('a solid split by a plane: two solids, volumes add up', async () => {
    const r = await run(...block, step('t', 'trim', { mode: 'split' }, { target: ['e'], cutters: ['p'] }));
    const [x, y] = [bodyOf(r, 't'), bodyOf(r, 't', 'part2')];
    expect([volume(x), volume(y)].map((v) => Math.round(v * 1e6) / 1e6).sort((p, q) => p - q)).toEqual([2000, 6000]);
    expect(isWatertight(x) && isWatertight(y)).toBe(true);
  });
  it('keeps the side in front of, behind, or clicked', async () => {
    const r = await run(
      ...block,
      step('front', 'trim', { keep: 'front' }, { target: ['e'], cutters: ['p'] }),
      step('behind', 'trim', { keep: 'behind' }, { target: ['e'], cutters: ['p'] }),
      step('clicked', 'trim', { places: [[0, 10, 2]] }, { target: ['e'], cutters: ['p'] }),
    );
    expect(volume(bodyOf(r, 'front'))).toBeCloseTo(6000, 6);
    expect(volume(bodyOf(r, 'behind'))).toBeCloseTo(2000, 6);
    expect(volume(bodyOf(r, 'clicked'))).toBeCloseTo(2000, 6);
  });
  it('a skin cut by a curve along its plane; a cutter that misses or is too short says so', async () => {
    const r = await run(
      step('a', 'polyline', { points: square(20), closed: true }),
      step('s', 'flat-skin', {}, { loops: ['a'] }),
      step('c', 'circle', { radius: 6 }),
      step('hole', 'trim', {}, { target: ['s'], cutters: ['c'] }),
      step('disc', 'trim', { places: [[0, 0, 0]] }, { target: ['s'], cutters: ['c'] }),
      step('far', 'work-plane', { offset: [0, 0, 90] }),
      step('miss', 'trim', {}, { target: ['s'], cutters: ['far'] }),
      step('short', 'polyline', {
        points: [
          [-30, 0],
          [0, 0],
        ],
      }),
      step('stops', 'trim', { direction: 'z', extend: 'none' }, { target: ['s'], cutters: ['short'] }),
      step('goes-on', 'trim', { direction: 'z' }, { target: ['s'], cutters: ['short'] }),
    );
    expect(massProperties(bodyOf(r, 'hole')).area).toBeCloseTo(1600 - 36 * Math.PI, 4);
    expect(massProperties(bodyOf(r, 'disc')).area).toBeCloseTo(36 * Math.PI, 4);
    expect(r.get('miss')?.diagnostics[0].message).toContain('nothing was cut');
    expect(r.get('stops')?.diagnostics[0].message).toContain('too short');
    expect(massProperties(bodyOf(r, 'goes-on')).area).toBeCloseTo(800, 6);
    expect(r.get('goes-on')?.diagnostics[0].code).toBe('extended');
  });
  it('two skins cut each other and are knitted', async () => {
    const r = await run(
      step('c1', 'circle', { radius: 10 }),
      step('e1', 'extrude', { distance: 40, cap: false }, { profile: ['c1'] }),
      step('p', 'work-plane', { offset: [0, 0, 20], turns: [10, 0, 0] }),
      { ...step('sq', 'polyline', { points: square(30), closed: true }), inputs: { plane: [{ step: 'p', output: 'main' }] } },
      step('lid', 'flat-skin', {}, { loops: ['sq'] }),
      step(
        't',
        'trim',
        {
          mode: 'both',
          keep: 'picked',
          places: [
            [10, 0, 2],
            [0, 0, 20],
          ],
        },
        { target: ['e1'], cutters: ['lid'] },
      ),
    );
    const b = bodyOf(r, 't');
    expect(topologyOf(b).seams.length).toBeGreaterThan(0);
    expect(topologyOf(b).crowded.length).toBe(0);
  });
});

describe('knit, close, walls', () => {
  const tube = [step('a', 'circle', { radius: 10 }), step('e', 'extrude', { distance: 30, cap: false }, { profile: ['a'] })];
  it('a tube closed by flat caps is the cylinder', async () => {
    const r = await run(...tube, step('c', 'close', {}, { skin: ['e'] }));
    expect(Math.abs(volume(bodyOf(r, 'c')) / (3000 * Math.PI) - 1)).toBeLessThan(1e-12);
    expect(r.get('c')?.facts.find((f) => f.label === 'checker')?.value).toBe('valid');
  });
  it('close without caps names the open rims', async () => {
    const r = await run(...tube, step('c', 'close', { caps: false }, { skin: ['e'] }));
    expect(r.get('c')?.diagnostics[0].message).toContain('2 rims');
    expect(r.get('c')?.diagnostics[0].place?.length).toBe(2);
  });
  it('a band of a ring thickened outwards: the volume of the thicker band', async () => {
    const r = await run(
      step('f', 'work-plane', { base: 'xz' }),
      onPlane('f', step('k', 'circle', { radius: 3, centre: [[12, 0]], part: 'arc', start: -80, end: 80 })),
      step('t', 'revolve', {}, { profile: ['k'] }),
      step('x', 'thicken', { wall: 2, side: 'out' }, { skin: ['t'] }),
    );
    expect(r.get('x')?.status).toBe('fine');
    const angle = (160 * Math.PI) / 180;
    const exact = 2 * Math.PI * (((12 * (25 - 9)) / 2) * angle + ((125 - 27) / 3) * 2 * Math.sin(angle / 2));
    expect(volume(bodyOf(r, 'x')) / exact).toBeCloseTo(1, 5);
  });
  it('the wall of a bent tapered pipe is as thick as asked everywhere, without a crease at its seam', async () => {
    const r = await run(
      step('p', 'spline-through', {
        points: [
          [0, 0, 0],
          [0, 4, 30],
          [30, 10, 50],
          [60, 0, 45],
        ],
        flat: false,
      }),
      step('c', 'circle', { radius: 8 }),
      step(
        's',
        'sweep',
        {
          place: 'square',
          size: [
            [0, 1],
            [1, 0.6],
          ],
        },
        { sections: ['c'], path: ['p'] },
      ),
      step('w', 'thicken', { wall: 1 }, { skin: ['s'] }),
    );
    expect(r.get('w')?.diagnostics).toEqual([]);
    const b = bodyOf(r, 'w');
    const inner = b.faces.find((f) => f.name.endsWith('.inner'))?.surface;
    if (!inner) throw new Error('no inner face');
    const outer = bodyOf(r, 's').faces[0].surface;
    const [[u0, u1], [v0, v1]] = [domainU(inner), domainV(inner)];
    for (let i = 1; i < 40; i++)
      for (let j = 0; j < 20; j++) {
        const p = surfacePoint(inner, u0 + ((u1 - u0) * i) / 40, v0 + ((v1 - v0) * (j + 0.3)) / 20);
        expect(Math.abs(closestOnSurface(outer, p).distance - 1)).toBeLessThan(1e-4);
      }
    for (const s of measureSeams(b)) if (s.faces[0] === s.faces[1]) expect(s.kink).toBeLessThan(0.01);
  });
  it('a tube thickened inwards and outwards has the volume of the ring', async () => {
    const r = await run(
      ...tube,
      step('in', 'thicken', { wall: 2 }, { skin: ['e'] }),
      step('out', 'thicken', { wall: 2, side: 'out' }, { skin: ['e'] }),
      step('fat', 'thicken', { wall: 11 }, { skin: ['e'] }),
    );
    expect(Math.abs(volume(bodyOf(r, 'in')) / (Math.PI * (100 - 64) * 30) - 1)).toBeLessThan(1e-6);
    expect(Math.abs(volume(bodyOf(r, 'out')) / (Math.PI * (144 - 100) * 30) - 1)).toBeLessThan(1e-6);
    expect(r.get('fat')?.diagnostics[0].code).toBe('too-thick');
  });
  it('a block shelled with an open top, and closed', async () => {
    const face: Pick = { step: 'e', output: 'main', part: { kind: 'face', name: 'e:cap-end' } };
    const r = await run(
      step('a', 'polyline', { points: square(10), closed: true }),
      step('e', 'extrude', { distance: 20 }, { profile: ['a'] }),
      step('open', 'shell', { wall: 1 }, { solid: ['e'], open: [face] }),
      step('shut', 'shell', { wall: 1 }, { solid: ['e'] }),
    );
    expect(Math.abs(volume(bodyOf(r, 'open')) / (8000 - 18 * 18 * 19) - 1)).toBeLessThan(1e-9);
    expect(Math.abs(volume(bodyOf(r, 'shut')) / (8000 - 18 * 18 * 18) - 1)).toBeLessThan(1e-9);
  });
  it('mirror halves knit to a whole', async () => {
    const r = await run(
      step('a', 'circle', { radius: 10, part: 'arc', start: -90, end: 90 }),
      step('e', 'extrude', { distance: 30 }, { profile: ['a'] }),
      step('m', 'mirror', {}, { pieces: ['e'] }),
      step('k', 'knit', { tolerance: 0.001 }, { skins: ['m', 'm/original'] }),
      step('s', 'close', {}, { skin: ['k'] }),
    );
    expect(r.get('k')?.status).not.toBe('error');
    expect(Math.abs(volume(bodyOf(r, 's')) / (3000 * Math.PI) - 1)).toBeLessThan(1e-9);
    const joined = topologyOf(bodyOf(r, 'k'));
    expect(joined.crowded.length).toBe(0);
  });
  it('move: by, turns about a centre, scale, copy', async () => {
    const r = await run(...tube, step('m', 'move', { by: [5, 0, 0], turns: [0, 90, 0], scale: 2, copy: true }, { pieces: ['e'] }));
    const b = bodyOf(r, 'm');
    expect(massProperties(b).area).toBeCloseTo(4 * 600 * Math.PI, 6);
    expect(massProperties(b).areaCentre[0]).toBeCloseTo(5 + 30, 6);
    expect(massProperties(bodyOf(r, 'm', 'original')).area).toBeCloseTo(600 * Math.PI, 6);
  });
});
