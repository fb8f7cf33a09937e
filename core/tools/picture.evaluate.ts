import { readPicture } from '../exchange/index.ts';
import { DEG, distance, type Frame, formatNumber, toWorld, type Vec3 } from '../math/index.ts';
import { defineEvaluation, drawingFrame, failure, type Mark, type StepAction } from '../recipe/index.ts';
import tool from './picture.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  if (!p.file) return failure('no-file', 'Choose a picture: drop it on the window or press the button');
  const asset = await context.asset(p.file);
  if (!asset) return failure('file-missing', 'The stored picture is missing: choose it again');
  const r = readPicture(asset.data);
  if (!r.ok) return failure('bad-file', `${asset.name}: ${r.message}`);
  const base = drawingFrame(inputs.plane);
  if (!base) return failure('not-flat', 'The plane picked is not flat');
  const ratio = r.height / r.width;
  const side = p.flipped ? -1 : 1;
  // on a picture one unit wide, its middle at zero
  const onUnit = (q: readonly [number, number]): [number, number] => [side * (q[0] - 0.5), (q[1] - 0.5) * ratio];
  const [a, b] = [onUnit(p.a), onUnit(p.b)];
  const apart = Math.hypot(b[0] - a[0], b[1] - a[1]);
  const byPlaces = p.size === 'places';
  if (byPlaces && apart < 1e-4) return failure('one-place', 'A and B lie on one place: choose "Its width", drag them apart, and come back');
  const width = byPlaces ? p.between / apart : p.width;
  const lean = Math.atan2(b[1] - a[1], b[0] - a[0]);
  const angle = p.turn * DEG + (byPlaces && p.along !== 'free' ? (p.along === 'y' ? Math.PI / 2 : 0) - lean : 0);
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const held: readonly [number, number] = p.anchor === 'middle' ? [0, 0] : p.anchor === 'a' ? a : [-0.5, -0.5 * ratio];
  const dir = (x: number, y: number): Vec3 => [0, 1, 2].map((k) => base.x[k] * x + base.y[k] * y) as unknown as Vec3;
  const [across, up] = [dir(c, s), dir(-s, c)];
  const place = toWorld(base, p.at);
  const corner = (x: number, y: number): Vec3 =>
    [0, 1, 2].map((k) => place[k] + width * ((x - held[0]) * across[k] + (y - held[1]) * up[k])) as unknown as Vec3;
  const frame: Frame = { origin: corner(-0.5, -0.5 * ratio), x: across, y: up, z: base.z };
  const [atA, atB] = [corner(a[0], a[1]), corner(b[0], b[1])];
  // places are dragged in shares of the picture; on a mirrored one they count from the other side
  const shares: Frame = p.flipped ? { ...frame, origin: corner(0.5, -0.5 * ratio), x: dir(-c, -s) } : frame;
  const marks: Mark[] = byPlaces
    ? [
        { kind: 'number', at: atA, label: 'A' },
        { kind: 'number', at: atB, label: 'B' },
        { kind: 'link', points: [atA, atB] },
      ]
    : [
        {
          kind: 'grip',
          at: atA,
          normal: base.z,
          label: 'A',
          param: 'a',
          template: '$share2',
          within: { frame: shares, width, height: width * ratio },
        },
        {
          kind: 'grip',
          at: atB,
          normal: base.z,
          label: 'B',
          param: 'b',
          template: '$share2',
          within: { frame: shares, width, height: width * ratio },
        },
        { kind: 'link', points: [atA, atB] },
      ];
  const actions: StepAction[] = byPlaces
    ? [{ label: 'Move A and B', params: { size: 'width', width: Number(width.toPrecision(9)) } }]
    : apart > 1e-4
      ? [{ label: 'Scale by A to B', params: { size: 'places' } }]
      : [];
  return {
    outputs: {
      main: { kind: 'picture', asset: p.file, mime: r.mime, frame, width, height: width * ratio, flipped: p.flipped, opacity: p.opacity },
    },
    marks,
    actions,
    facts: [
      { label: 'dots', value: `${r.width} x ${r.height}` },
      { label: 'size', value: `${formatNumber(width, 2)} x ${formatNumber(width * ratio, 2)} mm` },
      { label: 'A to B', value: `${formatNumber(distance(atA, atB), 3)} mm` },
      { label: 'one dot', value: `${formatNumber(width / r.width, 4)} mm` },
    ],
  };
});
