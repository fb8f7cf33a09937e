import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { frameFromNormal, toWorld, type Vec3 } from '../math/index.ts';
import {
  arcLength,
  circleCurve,
  controlPointCurve,
  domain,
  endPoint,
  lineCurve,
  type NurbsCurve,
  pointAt,
  smoothArc,
  startPoint,
} from '../nurbs/index.ts';
import { emptyModel, evaluateModel, type Step } from '../recipe/index.ts';
import { RUNNABLE as TOOLS } from '../tools/evaluations.ts';
import { type ReadCurves, readDxf, readSvg, writeDxf, writeSvg } from './index.ts';

const chainsOf = (r: ReadCurves) => {
  if (!r.ok) throw new Error(r.message);
  return r.chains;
};
const total = (list: readonly NurbsCurve[]) => list.reduce((s, c) => s + arcLength(c), 0);
const worst = (list: readonly NurbsCurve[], f: (x: number, y: number) => number) => {
  let m = 0;
  for (const c of list) {
    const [a, b] = domain(c);
    for (let i = 0; i <= 100; i++) {
      const p = pointAt(c, a + ((b - a) * i) / 100);
      m = Math.max(m, Math.abs(f(p[0], p[1])));
    }
  }
  return m;
};
const worst3 = (list: readonly NurbsCurve[], f: (p: Vec3) => number) => {
  let m = 0;
  for (const c of list)
    for (let i = 0; i <= 60; i++) m = Math.max(m, Math.abs(f(pointAt(c, domain(c)[0] + ((domain(c)[1] - domain(c)[0]) * i) / 60))));
  return m;
};
const svg = (body: string, head = 'width="100mm" height="50mm" viewBox="0 0 100 50"') =>
  `<?xml version="1.0"?><!-- a badge --><svg xmlns="http://www.w3.org/2000/svg" ${head}>${body}</svg>`;

describe('SVG', () => {
  it('shapes in millimetres, y upwards', () => {
    const c = chainsOf(
      readSvg(
        svg(
          '<circle id="ring" cx="30" cy="10" r="8"/><line x1="0" y1="50" x2="100" y2="50"/><rect x="10" y="20" width="30" height="20" rx="5"/><polygon points="0,0 10,0 10,10"/>',
        ),
      ),
    );
    expect(c.map((x) => x.label)).toEqual(['ring', 'line', 'rect', 'polygon']);
    expect(worst(c[0].curves, (x, y) => Math.hypot(x - 30, y - 40) - 8)).toBeLessThan(1e-12);
    expect(worst(c[1].curves, (_, y) => y)).toBeLessThan(1e-12);
    expect(total(c[2].curves)).toBeCloseTo(100 - 40 + 10 * Math.PI, 9);
    expect(total(c[3].curves)).toBeCloseTo(20 + 10 * Math.SQRT2, 9);
  });
  it('paths: arcs stay arcs, Béziers keep their degree, each subpath is a chain', () => {
    const c = chainsOf(readSvg(svg('<path d="M10 25 A15 15 0 0 1 40 25 L40 30 Z M50 10 q5 10 10 0 t10 0 c0 5 5 5 5 0 s5 -5 5 0 h3 v2"/>')));
    expect(c.length).toBe(2);
    expect(worst([c[0].curves[0]], (x, y) => Math.hypot(x - 25, y - 25) - 15)).toBeLessThan(1e-9);
    expect(arcLength(c[0].curves[0])).toBeCloseTo(15 * Math.PI, 9);
    // sweep 1 goes clockwise on screen: over the top
    expect(pointAt(c[0].curves[0], (domain(c[0].curves[0])[0] + domain(c[0].curves[0])[1]) / 2)[1]).toBeCloseTo(40, 9);
    expect(c[1].curves.map((k) => k.degree)).toEqual([2, 2, 3, 3, 1, 1]);
    for (let i = 0; i + 1 < c[1].curves.length; i++)
      expect(Math.hypot(...endPoint(c[1].curves[i]).map((x, k) => x - startPoint(c[1].curves[i + 1])[k]))).toBeLessThan(1e-12);
  });
  it('groups turn, move and scale what is in them; definitions are passed over', () => {
    const c = chainsOf(
      readSvg(
        svg(
          '<defs><circle r="3"/></defs><g transform="translate(50,25) rotate(90)"><g transform="scale(2)"><ellipse rx="8" ry="3"/></g></g>',
        ),
      ),
    );
    expect(c.length).toBe(1);
    expect(worst(c[0].curves, (x, y) => ((x - 50) / 6) ** 2 + ((y - 25) / 16) ** 2 - 1)).toBeLessThan(1e-12);
  });
  it('pixels count 96 to the inch; what is no shape is told; nonsense is refused', () => {
    const r = readSvg(svg('<line x1="0" y1="0" x2="96" y2="0"/><text>hello</text>', 'width="200" height="100"'));
    expect(total(chainsOf(r)[0].curves)).toBeCloseTo(25.4, 12);
    expect(r.ok && r.notes[0]).toContain('left out');
    expect(readSvg('<html></html>')).toMatchObject({ ok: false });
    expect(readSvg(svg('<text>only</text>'))).toMatchObject({ ok: false, message: expect.stringContaining('no shapes') });
  });
});

const dxf = (entities: string[], unit = 4) =>
  [
    '0',
    'SECTION',
    '2',
    'HEADER',
    '9',
    '$INSUNITS',
    '70',
    String(unit),
    '0',
    'ENDSEC',
    '0',
    'SECTION',
    '2',
    'ENTITIES',
    ...entities,
    '0',
    'ENDSEC',
    '0',
    'EOF',
  ].join('\n');
describe('DXF', () => {
  it('lines, circles and arcs, with units', () => {
    const c = chainsOf(
      readDxf(
        dxf(
          [
            '0',
            'LINE',
            '8',
            'CUT',
            '10',
            '0',
            '20',
            '0',
            '11',
            '2',
            '21',
            '0',
            '0',
            'CIRCLE',
            '8',
            '0',
            '10',
            '1',
            '20',
            '1',
            '40',
            '3',
            '0',
            'ARC',
            '8',
            '0',
            '10',
            '0',
            '20',
            '0',
            '40',
            '2',
            '50',
            '30',
            '51',
            '120',
          ],
          1,
        ),
      ),
    );
    expect(c.map((x) => x.label)).toEqual(['CUT', 'circle', 'arc']);
    expect(total(c[0].curves)).toBeCloseTo(50.8, 9);
    expect(worst(c[1].curves, (x, y) => Math.hypot(x - 25.4, y - 25.4) - 76.2)).toBeLessThan(1e-9);
    expect(total(c[2].curves)).toBeCloseTo(2 * 25.4 * (Math.PI / 2), 8);
  });
  it('polylines with bulges are lines and exact arcs, both ways round', () => {
    const slot = [
      '0',
      'LWPOLYLINE',
      '8',
      '0',
      '90',
      '4',
      '70',
      '1',
      '10',
      '0',
      '20',
      '0',
      '10',
      '30',
      '20',
      '0',
      '42',
      '1',
      '10',
      '30',
      '20',
      '10',
      '10',
      '0',
      '20',
      '10',
      '42',
      '1',
    ];
    const [c] = chainsOf(readDxf(dxf(slot)));
    expect(total(c.curves)).toBeCloseTo(60 + 10 * Math.PI, 9);
    expect(c.curves.map((k) => (k.rational ? 'arc' : 'line'))).toEqual(['line', 'arc', 'line', 'arc']);
    // a positive bulge lies to the right of travel's chord seen from its start: outside the slot
    expect(worst([c.curves[1]], (x, y) => Math.hypot(x - 30, y - 5) - 5)).toBeLessThan(1e-9);
    const inward = slot.map((v, i) => (i === 17 ? '-1' : v));
    expect(total(chainsOf(readDxf(dxf(inward)))[0].curves)).toBeCloseTo(60 + 10 * Math.PI, 9);
  });
  it('splines keep degree, knots and points', () => {
    const points = [
      [0, 0],
      [4, 9],
      [12, -3],
      [20, 5],
    ];
    const spline = [
      '0',
      'SPLINE',
      '8',
      '0',
      '70',
      '8',
      '71',
      '3',
      '72',
      '8',
      '73',
      '4',
      ...[0, 0, 0, 0, 1, 1, 1, 1].flatMap((k) => ['40', String(k)]),
      ...points.flatMap(([x, y]) => ['10', String(x), '20', String(y), '30', '0']),
    ];
    const [c] = chainsOf(readDxf(dxf(spline)));
    expect(c.curves[0].degree).toBe(3);
    expect(Array.from(c.curves[0].control.slice(4, 6))).toEqual([4, 9]);
  });
  it('garbage and drawings without curves are refused in words', () => {
    expect(readDxf('not a drawing')).toMatchObject({ ok: false });
    expect(readDxf(dxf(['0', 'TEXT', '8', '0', '10', '0', '20', '0', '40', '2', '1', 'hi']))).toMatchObject({ ok: false });
  });
});

describe('written and read again', () => {
  const frame = frameFromNormal([5, 5, 5], [0, -1, 0], [1, 0, 0]);
  const at = (x: number, y: number) => toWorld(frame, [x, y]);
  const line = lineCurve(at(0, 0), at(10, 0));
  const spline = controlPointCurve([at(10, 0), at(14, 9), at(22, -5), at(30, 4), at(33, 9)], 3, false);
  const ring = circleCurve({ ...frame, origin: at(40, 0) }, 7);
  const chains = [
    { name: 'edge of the badge', curves: [line, spline] },
    { name: 'ring', curves: [ring] },
  ];
  it('DXF keeps lines, knots, weights and places exactly, in space and in a plane', () => {
    const c = chainsOf(readDxf(writeDxf(chains)));
    expect(c.map((x) => x.label)).toEqual(['edge-of-the-badge', 'edge-of-the-badge', 'ring']);
    expect(Array.from(c[1].curves[0].control)).toEqual(Array.from(spline.control));
    expect(worst3(c[2].curves, (p) => Math.hypot(...p.map((x, k) => x - at(40, 0)[k])) - 7)).toBeLessThan(1e-9);
    const flat = chainsOf(readDxf(writeDxf(chains, frame)));
    expect(worst(flat[2].curves, (x, y) => Math.hypot(x - 40, y) - 7)).toBeLessThan(1e-9);
  });
  it('SVG keeps polynomials up to degree three exactly and says when it fitted', () => {
    const exact = writeSvg([chains[0]], frame);
    expect(exact.exact).toBe(true);
    const c = chainsOf(readSvg(exact.text));
    expect(total(c.flatMap((x) => x.curves))).toBeCloseTo(total(chains[0].curves), 4);
    const weighted = controlPointCurve([at(0, 0), at(4, 9), at(12, -5), at(20, 4)], 3, false, [1, 3, 0.5, 1]);
    const fitted = writeSvg([{ name: 'weighted', curves: [weighted] }], frame, 1e-4);
    expect(fitted.exact).toBe(false);
    expect(total(chainsOf(readSvg(fitted.text))[0].curves)).toBeCloseTo(arcLength(weighted), 3);
  });
  it('SVG keeps circles and ellipses as arcs, whole and in part, also seen at a slant', () => {
    const oval = smoothArc(
      { ...frame, origin: at(5, 60), x: [Math.cos(0.6), 0, Math.sin(0.6)], y: [-Math.sin(0.6), 0, Math.cos(0.6)] },
      12,
      5,
      0.4,
      5.1,
    );
    const r = writeSvg(
      [
        { name: 'ring', curves: [ring] },
        { name: 'oval', curves: [oval] },
        { name: 'quarter', curves: [circleCurve({ ...frame, origin: at(0, 30) }, 4, 1, 1 + Math.PI / 2)] },
      ],
      frame,
    );
    expect(r.exact).toBe(true);
    expect(r.text.match(/A/g)?.length).toBe(9);
    const [back, ovalBack, quarter] = chainsOf(readSvg(r.text)).map((x) => x.curves);
    expect(total(back)).toBeCloseTo(14 * Math.PI, 4);
    expect(total(ovalBack)).toBeCloseTo(arcLength(oval), 4);
    expect(total(quarter)).toBeCloseTo(2 * Math.PI, 4);
    // a ring seen at 60 degrees is an ellipse half as high
    const slant = writeSvg([{ name: 'ring', curves: [ring] }], frameFromNormal([0, 0, 0], [0, -0.5, Math.sqrt(0.75)], [1, 0, 0]));
    expect(slant.exact).toBe(true);
    const [, rx, ry] = /A([\d.]+) ([\d.]+) /.exec(slant.text) ?? [];
    expect([Number(rx), Number(ry)]).toEqual([7, 3.5]);
  });
  it('the export tool writes both, and reads them back', async () => {
    const steps: Step[] = [
      { id: 'k', tool: 'circle', version: 1, inputs: {}, params: { radius: 9 } },
      ...(['svg', 'dxf'] as const).map(
        (format): Step => ({
          id: format,
          tool: 'export',
          version: 1,
          inputs: { curves: [{ step: 'k', output: 'main' }] },
          params: { format },
        }),
      ),
      { id: 'none', tool: 'export', version: 1, inputs: {}, params: { format: 'dxf' } },
    ];
    const r = await evaluateModel({ ...emptyModel('out'), steps }, { tools: TOOLS, kernel, files: new Set(['svg', 'dxf']) });
    for (const format of ['svg', 'dxf']) {
      const s = r.steps.get(format);
      expect(s?.status).toBe('fine');
      expect(s?.files[0].name).toBe(`out.${format}`);
      expect(s?.facts.find((f) => f.label === 'read back')?.value).toContain('56.5');
    }
    expect(r.steps.get('none')?.diagnostics[0].code).toBe('empty-slot');
  });
  it('the import tool lays curves onto a plane', async () => {
    const text = svg('<circle cx="0" cy="50" r="8"/>');
    const steps: Step[] = [
      { id: 'p', tool: 'work-plane', version: 2, inputs: {}, params: { base: 'xz', offset: [0, 0, 12] } },
      { id: 'i', tool: 'import', version: 1, inputs: { plane: [{ step: 'p', output: 'main' }] }, params: { file: 'badge' } },
    ];
    const r = await evaluateModel(
      { ...emptyModel('in'), steps },
      { tools: TOOLS, kernel, asset: async () => ({ name: 'badge.svg', data: new TextEncoder().encode(text) }) },
    );
    const piece = r.steps.get('i')?.outputs.main;
    if (piece?.kind !== 'curve') throw new Error(r.steps.get('i')?.diagnostics[0]?.message);
    expect(worst3(piece.curves, (p) => Math.hypot(p[0], p[2]) - 8)).toBeLessThan(1e-9);
    expect(worst3(piece.curves, (p) => p[1] + 12)).toBeLessThan(1e-9);
  });
});
