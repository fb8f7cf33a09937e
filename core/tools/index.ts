// Made by scripts/tools-index.mjs from the files of this folder.
import type { Tool } from '../recipe/index.ts';
import circle from './circle.ts';
import close from './close.ts';
import ellipse from './ellipse.ts';
import exportFile from './export-file.ts';
import extrude from './extrude.ts';
import flatSkin from './flat-skin.ts';
import importFile from './import-file.ts';
import knit from './knit.ts';
import loft from './loft.ts';
import mirror from './mirror.ts';
import move from './move.ts';
import polyline from './polyline.ts';
import removeFaces from './remove-faces.ts';
import replaceFace from './replace-face.ts';
import revolve from './revolve.ts';
import shell from './shell.ts';
import splineThrough from './spline-through.ts';
import spline from './spline.ts';
import thicken from './thicken.ts';
import trim from './trim.ts';
import unknit from './unknit.ts';
import untrim from './untrim.ts';
import workPlane from './work-plane.ts';

const list: readonly Tool[] = [circle, close, ellipse, exportFile, extrude, flatSkin, importFile, knit, loft, mirror, move, polyline, removeFaces, replaceFace, revolve, shell, splineThrough, spline, thicken, trim, unknit, untrim, workPlane];
/** Every tool by its id: the one source for bench, cards, command line, schema and help. */
export const TOOLS: ReadonlyMap<string, Tool> = new Map(list.map((t) => [t.id, t]));
