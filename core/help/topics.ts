/** What is explained besides the tools: the same words in the window and in the documents. */
export interface Topic {
  readonly id: string;
  readonly title: string;
  /** Other words under which it is found. */
  readonly synonyms: readonly string[];
  readonly text: readonly string[];
  /** A picture of docs/screenshots, for the documents. */
  readonly shot?: string;
}
export const TOPICS: readonly Topic[] = [
  {
    id: 'first-steps',
    title: 'From curves to a part',
    synonyms: ['begin', 'start', 'workflow', 'order', 'route'],
    text: [
      'The route along the top is the order of the work: references, curves, skins, cages, joins, proof, solids, output. Choose a stage, then a tool of it on the left. A tool opens a card; what it needs is asked for, and clicked in the view or chosen from the lists.',
      'Every step stands in the build sheet. Open one to change it: everything after it follows. A step that has lost what it was built on waits for another pick, and nothing after it is lost.',
      '“Show me round” builds the Tansy body with you in ten minutes.',
    ],
    shot: 'modelling.png',
  },
  {
    id: 'view',
    title: 'Moving and picking in the view',
    synonyms: ['orbit', 'pan', 'zoom', 'mouse', 'select', 'hover'],
    text: [
      'Drag orbits, a drag with the right or middle button pans, the wheel zooms to the pointer. The ring in the corner turns to a named side.',
      'A click picks the piece, a second click its face or edge. Shift and drag takes all in a box. Hold the button, or press the right one, and everything that lies under the pointer is listed.',
    ],
  },
  {
    id: 'numbers',
    title: 'Numbers, formulas and dials',
    synonyms: ['parameter', 'variable', 'equation', 'driven', 'unit', 'expression'],
    text: [
      'Any number takes a unit and a formula: 1.5 in, 20/3, wall*2. A dial is a named number; change it and all that uses it follows.',
      'Formulas may read what was measured: measure("Collar").radius, where Collar is a Measure step above.',
    ],
  },
  {
    id: 'seams',
    title: 'Seams and their grades',
    synonyms: ['continuity', 'tangent', 'curvature', 'G0', 'G1', 'G2', 'G3', 'gap', 'kink', 'target'],
    text: [
      'Every seam is measured all along: the gap in mm, the kink in degrees, the step of the curvature in per cent, and the step of its change (flow). It is G0 when there is no gap, G1 without a kink, G2 without a step, G3 without a step in flow, each within the limits on the desk.',
      'Set a target for a seam, a kind of seam or a group: the desk says which are met. A seam below its target offers changes that would bring it there, each tried and measured before it is offered.',
    ],
    shot: 'stripes.png',
  },
  {
    id: 'cages',
    title: 'Cages: from the first quad to NURBS faces',
    synonyms: ['subdivision', 'organic', 'quads', 'crease', 'pole', 'mesh modelling', 'box', 'retopology'],
    text: [
      'A cage is a net of few faces; the smooth surface that comes of it is shown inside it, and is its limit itself. Begin with a start by sizes, with quads paved over a picture, or with rows between lines drawn on a scan.',
      'Edit cage holds a list of operations. Choose vertices, edges or faces (Ctrl adds, Shift and drag takes a box, Alt a loop), drag the arrows, planes and rings, or press what can be done. Each gesture is undone by itself; each operation can be changed, muted or taken out, and all are done again when the start changes.',
      'Give the step a plane to be mirrored in, and both sides are done alike, the seam in the plane exactly.',
      'Border to edge brings an open border to a curve, or to the edge of a skin so that the smooth surface goes on without a kink; what is left between the vertices is measured.',
      'Poles are vertices where not four edges meet: the desk lists them with their fold and says which to look at. To NURBS makes exact large faces, caps around poles and creases as edges; closed, it is a solid.',
    ],
    shot: 'cage.png',
  },
  {
    id: 'looks',
    title: 'Looks: stripes, light bars, gloss',
    synonyms: ['reflection', 'bands', 'highlight', 'shading', 'render', 'isoparm', 'wire'],
    text: [
      'Looks judge by eye: clay, inside and outside, stripes, light bars, gloss, wire, lines only, see-through, or a map. They are computed from the exact surface: stripes have no kinks that the surface has not.',
      'Each piece may have a look of its own, in the list of pieces.',
    ],
  },
  {
    id: 'maps',
    title: 'Colour maps',
    synonyms: ['analysis', 'Gaussian', 'curvature', 'draft', 'thickness', 'wall', 'deviation', 'distance'],
    text: [
      'A map colours skins by curvature, radius, draft to a pull, wall along the normal or by a rolling ball, or distance to another piece or a scan. The legend shows how much of the area has which value, the value under the pointer, and the extremes to go to.',
      'The ends of the colours are found by themselves, or set by hand; bands make steps of them. The map is saved with the model.',
    ],
    shot: 'map.png',
  },
  {
    id: 'sections',
    title: 'Sections',
    synonyms: ['cut', 'clip', 'plane', 'cross-section'],
    text: [
      'A section opens the view along a plane, with a cap drawn from the exact cut. Drag its arrow or its ring; switch on its comb; keep its curves by a click. Up to eight stand at once and are saved.',
    ],
    shot: 'section.png',
  },
  {
    id: 'versions',
    title: 'Versions, comparing, and what happened',
    synonyms: ['history', 'undo', 'save', 'variant', 'branch', 'difference', 'compare'],
    text: [
      'Everything is saved at once, and undone without end. Ctrl+S gives the present state a name. A named version, any state in the list of changes, or another model can be laid beside what is now: what changed in the recipe, and both shapes in the colours of their distance, in linked views.',
      'A version, or a run of a sweep, is kept as a model of its own by “Branch”.',
    ],
    shot: 'compare.png',
  },
  {
    id: 'sweep',
    title: 'Dial sweep',
    synonyms: ['study', 'parametric', 'range', 'optimise', 'table', 'chart'],
    text: [
      'A sweep runs the recipe over the values of a dial or of two, beside your work: volume, least wall and radius, worst seam, targets and time of each run, as a table and a chart. A run that does not come out says why. Take sets the dials so; Branch keeps the run as a model.',
    ],
    shot: 'dial-sweep.png',
  },
  {
    id: 'files',
    title: 'Files that go out',
    synonyms: ['export', 'STEP', 'IGES', 'STL', '3MF', 'print', 'report', 'PDF'],
    text: [
      'STEP and IGES carry exact surfaces, STL, OBJ, PLY, 3MF and glTF triangles within a chosen distance; their number is told before. Every file is read back and compared (parts, faces, rims, area, volume, extents) before it is handed over.',
      'The picture button in the view saves pictures of any size, a whole turn, and the proof report as a page or a PDF.',
    ],
  },
  {
    id: 'command-line',
    title: 'The command line',
    synonyms: ['batch', 'headless', 'script', 'terminal', 'build'],
    text: [
      'The same core runs without a window: npm run -s ample -- help lists what it does. run builds a recipe with dials set, check tells of any file what the desk would, convert writes other formats, sweep and compare do what they do here. Exit code 0 is fine, 1 not fine, 2 a wrong call.',
    ],
  },
];
