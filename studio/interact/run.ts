import { endPreview, setInputs, setParams } from '../state/draft.ts';
import { measureAt } from '../state/measuring.ts';
import { dragSection } from '../state/sections.ts';
import { pickAt, select } from '../state/selection.ts';
import { getStudio, setStudio } from '../state/state.ts';
import { cagingNow, chooseCage, endOperations, onHalf, openCage, putOperations, widened } from './caging.ts';
import { addPoint } from './drawing.ts';
import type { Command } from './mode.ts';
import { chooseSketch, clickSketch, dragSketch, endDragSketch } from './sketching.ts';

/** What commands of modes do to the document. Those of the camera and the typed field are the view's and are passed on. */
export function runCommand(c: Command): boolean {
  switch (c.do) {
    case 'pick':
      pickAt(c.pick, c.more, c.direct);
      return true;
    case 'clear':
      select([]);
      return true;
    case 'select': {
      const now = c.add ? getStudio().selection : [];
      select([...now, ...c.picks.filter((p) => !now.some((x) => x.step === p.step && x.output === p.output && !x.part))]);
      return true;
    }
    case 'addPoint':
      addPoint(c.at);
      return true;
    case 'measurePoint':
      measureAt(c.at);
      return true;
    case 'param':
      if (c.preview) setParams(c.step, { [c.key]: c.value }, true);
      else endPreview(c.step, c.key, c.before, c.value);
      return true;
    case 'params':
      setParams(c.step, c.params);
      return true;
    case 'inputs':
      if (!c.preview && c.before) setInputs(c.step, c.slot, c.before, true);
      setInputs(c.step, c.slot, c.picks, c.preview);
      return true;
    case 'section':
      dragSection(c.section, c.preview);
      return true;
    case 'cageChoose': {
      const o = openCage();
      const k = cagingNow();
      if (c.box)
        setStudio({
          caging: { ...k, chosen: [...new Set([...(c.more ? k.chosen : []), ...c.names.map((n) => onHalf(o?.cage, c.kind, n))])] },
        });
      else if (c.loop && o) {
        const loop = widened(
          o.cage,
          { ...k, kind: c.kind, chosen: [...k.chosen, ...c.names.map((n) => onHalf(o?.cage, c.kind, n))] },
          'loop',
        );
        setStudio({ caging: { ...k, kind: c.kind, chosen: loop } });
      } else chooseCage(c.kind, c.names, c.more);
      return true;
    }
    case 'cageOperations':
      if (c.preview) putOperations(c.step, c.key, c.list, true);
      else endOperations(c.step, c.key, c.before, c.list);
      return true;
    case 'sketchClick':
      clickSketch(c.at, c.hit);
      return true;
    case 'sketchChoose':
      setStudio({ hover: undefined });
      chooseSketch(c.id, c.more);
      return true;
    case 'sketchDrag':
      dragSketch(c.point, c.to);
      return true;
    case 'sketchDrop':
      endDragSketch();
      return true;
    default:
      return false;
  }
}
