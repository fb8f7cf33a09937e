import { type DrawView, drawSheet, frameSeen, scaleWords, VIEW_FRAMES } from '../drawing/index.ts';
import { fileStem } from '../exchange/index.ts';
import { dot, type Frame, frameFromNormal, type Vec3 } from '../math/index.ts';
import { type Diagnostic, defineEvaluation, failure, inputBody, inputPlane } from '../recipe/index.ts';
import { paperSvg, writePapers } from '../sheets/index.ts';
import tool, { PAPER_SIZES } from './drawing.ts';

export default defineEvaluation(tool, async (inputs, p, context) => {
  const bodies = inputs.pieces.flatMap((i) => inputBody(i) ?? []);
  if (!bodies.length) return failure('nothing', 'Pick the skins or solids to draw');
  const cut = inputs.section[0] ? inputPlane(inputs.section[0]) : undefined;
  if (inputs.section[0] && !cut) return failure('not-flat', 'What is to cut the section is not flat');
  const [above, row] = p.order === 'above' ? [1, 0] : [0, 1];
  const views: DrawView[] = [];
  if (p.front) views.push({ name: 'Front', frame: VIEW_FRAMES.front, at: [0, row] });
  if (p.top) views.push({ name: 'Top', frame: VIEW_FRAMES.top, at: [0, above] });
  if (p.side) views.push({ name: 'Right', frame: VIEW_FRAMES.right, at: [1, row] });
  if (p.seen === 'as-seen') {
    const eye = p.eye as Vec3;
    if (!(Math.hypot(...eye) > 1e-9)) return failure('eye', 'The direction to the eye has no length');
    views.push({ name: 'As seen', frame: frameSeen(eye, p.up as Vec3), at: [1, above] });
  }
  if (cut) views.push({ name: 'Section', frame: upright(cut), at: [2, row], section: true });
  if (!views.length) return failure('no-views', 'Choose at least one view');
  const [width, height] = PAPER_SIZES[p.paper];
  const [a, b] = p.scale.split(':').map(Number);
  const made = drawSheet(bodies, views, {
    title: p.name.trim() || context.modelName || 'Drawing',
    width,
    height,
    scale: p.scale === 'fit' ? undefined : a / b,
    hidden: p.hidden,
    smooth: p.smooth,
    dimensions: p.sizes,
    measures: p.measures ? context.measures : undefined,
  });
  if ('message' in made) return failure('room', made.message);
  const all = made.lines.flatMap((v) => v.lines);
  const facts = [
    { label: 'scale', value: scaleWords(made.scale) },
    { label: 'views', value: String(views.length) },
    { label: 'lines seen', value: String(all.filter((l) => l.visible).length) },
    ...(p.hidden ? [{ label: 'hidden', value: String(all.filter((l) => !l.visible).length) }] : []),
  ];
  if (made.measured) facts.push({ label: 'measures', value: String(made.measured) });
  const diagnostics = made.left.map(
    (l): Diagnostic => ({ severity: 'note', code: 'not-drawn', message: `"${l.name}" is not drawn: ${l.why}` }),
  );
  const pages = [{ title: made.paper.title, svg: paperSvg(made.paper) }];
  if (!context.files) return { outputs: {}, facts, diagnostics, pages };
  const written = await writePapers([made.paper], p.format, fileStem(`${p.name.trim() || context.modelName || 'part'} drawing`));
  if (!written.ok) return failure('read-back', written.message);
  return { outputs: {}, facts: [...facts, ...written.facts], diagnostics, pages, files: written.files };
});
/** A plane's own frame with up as much up as can be, seen from its outside. */
function upright(f: Frame): Frame {
  const up: Vec3 = Math.abs(dot(f.z, [0, 0, 1])) < 0.99 ? [0, 0, 1] : [0, 1, 0];
  const turned = frameFromNormal(f.origin, f.z, up);
  // that one's x is up: a quarter back
  const x: Vec3 = [-turned.y[0], -turned.y[1], -turned.y[2]];
  return { origin: f.origin, x, y: turned.x, z: f.z };
}
