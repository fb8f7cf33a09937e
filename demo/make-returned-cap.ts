import { writeFileSync } from 'node:fs';
import {
  type Body,
  BodyBuilder,
  combineBodies,
  flatBody,
  flipBody,
  massProperties,
  meshBody,
  surfaceBody,
  transformBody,
  withShells,
} from '@ample-skin/core/brep';
import { writeStl } from '@ample-skin/core/exchange';
import { frameFromNormal, translation, type Vec3 } from '@ample-skin/core/math';
import { circleCurve, curveThrough, lineCurve, polylineCurve, revolvedSurface } from '@ample-skin/core/nurbs';
import { localKernel } from '../core/brep/local.ts';
import { textOf } from '../core/brep/port.ts';

/**
 * The cap with its damage: made of four turned quarters and rings, then one quarter of the dome moved by 0.03 mm (gap), the inner ring
 * flipped, a sliver beside the rim, one face twice, and the top disc of the inside missing. Writes STEP and STL into demo/files.
 */
const Z: Vec3 = [0, 0, 1];
const names = (prefix: string) => ({ prefix, face: () => prefix });
const quarter = (k: number, profile: Parameters<typeof revolvedSurface>[0], label: string): Body =>
  surfaceBody(
    revolvedSurface(profile, [0, 0, 0], Z, (k * Math.PI) / 2, ((k + 1) * Math.PI) / 2),
    names(`${label} ${k + 1}`),
    new BodyBuilder(),
  ).body;

const dome = curveThrough(
  [
    [15, 0, 0],
    [15.4, 0, 6],
    [14.2, 0, 12],
    [10, 0, 16.5],
    [4, 0, 18.2],
  ],
  { startTangent: [0, 0, 1] },
);
const parts: Body[] = [];
for (let k = 0; k < 4; k++) {
  const q = flipBody(quarter(k, dome, 'dome'));
  parts.push(k === 2 ? transformBody(q, translation([-0.03, 0, 0])) : q);
}
const top = 18.2;
parts.push(
  flatBody(
    [{ outer: [circleCurve(frameFromNormal([0, 0, top], Z, [1, 0, 0]), 4)], holes: [] }],
    frameFromNormal([0, 0, top], Z, [1, 0, 0]),
    'crown',
  ),
);
const inside = polylineCurve([
  [13.4, 0, 0],
  [13.4, 0, 11],
]);
for (let k = 0; k < 4; k++) {
  const q = quarter(k, inside, 'bore');
  parts.push(k === 1 ? flipBody(q) : q);
}
parts.push(
  flatBody(
    [
      {
        outer: [circleCurve(frameFromNormal([0, 0, 0], [0, 0, -1], [1, 0, 0]), 15)],
        holes: [[circleCurve(frameFromNormal([0, 0, 0], [0, 0, -1], [1, 0, 0]), 13.4)]],
      },
    ],
    frameFromNormal([0, 0, 0], [0, 0, -1], [1, 0, 0]),
    'rim',
  ),
);
// the lid of the bore (z = 11) is missing; a sliver lies beside the rim, and the crown is there twice
parts.push(
  flatBody(
    [
      {
        outer: [
          lineCurve([15, 0, 0], [15.004, 0, 0]),
          lineCurve([15.004, 0, 0], [15.004, 3, 0]),
          lineCurve([15.004, 3, 0], [15, 3, 0]),
          lineCurve([15, 3, 0], [15, 0, 0]),
        ],
        holes: [],
      },
    ],
    frameFromNormal([15, 0, 0], Z, [1, 0, 0]),
    'sliver',
  ),
);
parts.push(
  flatBody(
    [{ outer: [circleCurve(frameFromNormal([0, 0, top], Z, [1, 0, 0]), 4)], holes: [] }],
    frameFromNormal([0, 0, top], Z, [1, 0, 0]),
    'crown again',
  ),
);

const whole = withShells(combineBodies(parts));
const { content } = await localKernel.run('writeStep', { inputs: [textOf(whole)], schema: 'AP214', unit: 'MM' });
let k = 0;
const named = content
  .replace(/(ADVANCED_FACE\s*\(\s*)''/g, (_, head: string) => `${head}'${whole.faces[k++]?.name ?? ''}'`)
  .replace(/(=\s*PRODUCT\s*\(\s*)'[^']*'(\s*,\s*)'[^']*'/g, "$1'Returned cap'$2'Returned cap'")
  .replace(/FILE_NAME\('[^']*','[^']*'/, "FILE_NAME('returned-cap.step','2026-01-01T00:00:00'");
writeFileSync(new URL('./files/returned-cap.step', import.meta.url), named);
writeFileSync(new URL('./files/returned-cap.stl', import.meta.url), writeStl([meshBody(whole, { chord: 0.05 })], 'Returned cap'));
process.stdout.write(`faces ${whole.faces.length}, area ${massProperties(whole).area.toFixed(3)} mm2\n`);
