import type { Part } from './model.ts';
import type { Piece } from './pieces.ts';
import type { Accepts } from './tool.ts';

/** Does this piece (or part of it) fit a slot? */
export function fits(accepts: readonly Accepts[], piece: Piece, part?: Part['kind']): boolean {
  return accepts.some((a) => {
    switch (a) {
      case 'piece':
        return !part;
      case 'chain':
        return (piece.kind === 'curve' && !part) || part === 'edge';
      case 'edge':
        return part === 'edge';
      case 'face':
        return part === 'face';
      case 'vertex':
        return part === 'vertex';
      case 'point':
        return piece.kind === 'point' || part === 'vertex';
      case 'skin':
        return piece.kind === 'skin' && !part;
      case 'solid':
        return piece.kind === 'solid' && !part;
      case 'body':
        return (piece.kind === 'skin' || piece.kind === 'solid') && !part;
      case 'flat':
        return piece.kind === 'plane' || part === 'face';
      case 'scan':
        return piece.kind === 'scan';
      case 'cage':
        return piece.kind === 'cage' && !part;
      default:
        return false;
    }
  });
}
