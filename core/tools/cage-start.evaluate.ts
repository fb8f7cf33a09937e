import {
  ballStart,
  boxStart,
  type Cage,
  cylinderStart,
  discStart,
  gridStart,
  limitThrough,
  ringStart,
  torusStart,
  transformCage,
  triangleStart,
} from '../cage/index.ts';
import { add, betweenFrames, type Frame, formatNumber, scale, toWorld, type Vec3, WORLD } from '../math/index.ts';
import { cageFacts, cageNotes, type Diagnostic, defineEvaluation, drawingFrame, failure, type Mark } from '../recipe/index.ts';
import tool from './cage-start.ts';

type P = Parameters<Parameters<typeof defineEvaluation<typeof tool.params, typeof tool.slots>>[1]>[1];

/** Most faces a start may have. */
const MOST = 20_000;
/** How near the limits of the vertices come to the sizes asked, mm. */
const WITHIN = 1e-7;

export default defineEvaluation(tool, (inputs, p) => {
  const plane = drawingFrame(inputs.plane);
  if (!plane) return failure('not-flat', 'The plane picked is not flat');
  if (!p.centre.length) return failure('too-few', 'Click where it stands');
  const f: Frame = { ...plane, origin: toWorld(plane, p.centre[0]) };
  if (p.shape === 'ring' && p.inner >= p.radius)
    return failure(
      'inside-out',
      `The inner radius of ${formatNumber(p.inner)} mm must be smaller than the radius of ${formatNumber(p.radius)} mm`,
      [f.origin],
    );
  if (p.shape === 'torus' && p.tube >= p.radius)
    return failure(
      'self-crossing',
      `A tube of ${formatNumber(p.tube)} mm on a radius of ${formatNumber(p.radius)} mm would run through itself: make it thinner`,
      [f.origin],
    );
  const faces = facesOf(p);
  if (faces > MOST) return failure('too-many', `That would be ${faces} faces; a start has at most ${MOST}: use fewer segments`);
  let made = startOf(p);
  const diagnostics: Diagnostic[] = [];
  if (p.sizes === 'smooth') {
    const through = limitThrough(made, WITHIN);
    if (through) made = through;
    else
      diagnostics.push({
        severity: 'warning',
        code: 'sizes',
        message: 'The smooth surface cannot be given these sizes with so few segments: they are those of the cage. Add segments',
      });
  }
  const cage = transformCage(made, betweenFrames(WORLD, f));
  return {
    outputs: { main: { kind: 'cage', cage } },
    facts: cageFacts(cage),
    diagnostics: [...diagnostics, ...cageNotes(cage)],
    marks: marksOf(p, f),
  };
});

function startOf(p: P): Cage {
  switch (p.shape) {
    case 'grid':
      return gridStart(p);
    case 'disc':
      return discStart(p);
    case 'ring':
      return ringStart({ ...p, outer: p.radius });
    case 'triangle':
      return triangleStart({ side: p.side, segments: p.quarter });
    case 'box':
      return boxStart(p);
    case 'ball':
      return ballStart({ ...p, segments: p.quarter });
    case 'cylinder':
      return cylinderStart(p);
    case 'cone':
      return cylinderStart({ ...p, taper: 0 });
    case 'torus':
      return torusStart({ ...p, across: p.tubeSegments });
  }
}
/** Number of faces a start will have, before it is made. */
function facesOf(p: P): number {
  const lids = p.caps ? (2 * p.segments * p.segments) / 16 + 2 * p.rings * p.segments : 0;
  switch (p.shape) {
    case 'grid':
      return p.across * p.along;
    case 'disc':
      return p.quarter ** 2 + 4 * p.quarter * p.rings;
    case 'ring':
      return p.segments * p.rings;
    case 'triangle':
      return 3 * p.quarter ** 2;
    case 'box':
      return 2 * (p.across * p.along + p.across * p.up + p.along * p.up);
    case 'ball':
      return 8 * p.quarter ** 2;
    case 'cylinder':
    case 'cone':
      return p.segments * p.up + lids;
    case 'torus':
      return p.segments * p.tubeSegments;
  }
}

/** Arrows for the sizes, a ring for the opening. */
function marksOf(p: P, f: Frame): Mark[] {
  const on = (x: number, y: number, z: number): Vec3 => toWorld(f, [x, y, z]);
  const push = (from: Vec3, direction: Vec3, value: number, key: string, rate = 1): Mark => ({
    kind: 'push',
    from,
    direction,
    value,
    rate,
    param: key,
    template: '$value',
    min: 0.01,
  });
  const turn: Mark[] =
    p.shape === 'grid' || p.shape === 'box' || p.shape === 'triangle'
      ? []
      : [
          {
            kind: 'turn',
            centre: f.origin,
            axis: f.z,
            zero: f.x,
            value: p.opening,
            param: 'opening',
            template: '$value',
            min: 1,
            max: 360,
          },
        ];
  switch (p.shape) {
    case 'grid':
      return [push(f.origin, f.x, p.width, 'width', 0.5), push(f.origin, f.y, p.depth, 'depth', 0.5)];
    case 'box': {
      const middle = on(0, 0, p.height / 2);
      return [push(middle, f.x, p.width, 'width', 0.5), push(middle, f.y, p.depth, 'depth', 0.5), push(f.origin, f.z, p.height, 'height')];
    }
    case 'triangle':
      return [push(f.origin, f.y, p.side, 'side', 1 / Math.sqrt(3))];
    case 'disc':
    case 'ball':
      return [push(f.origin, f.y, p.radius, 'radius'), ...turn];
    case 'ring':
      return [push(f.origin, f.y, p.radius, 'radius'), push(f.origin, scale(f.y, -1), p.inner, 'inner'), ...turn];
    case 'cylinder':
    case 'cone':
      return [
        push(f.origin, f.y, p.radius, 'radius'),
        push(f.origin, f.z, p.height, 'height'),
        ...(p.shape === 'cylinder' ? [push(on(0, 0, p.height), scale(f.y, -1), p.taper, 'taper', p.radius)] : []),
        ...turn,
      ];
    case 'torus':
      return [push(f.origin, f.y, p.radius, 'radius'), push(add(f.origin, scale(f.y, p.radius)), f.z, p.tube, 'tube'), ...turn];
  }
}
