let shown: () => readonly string[] = () => [];
/** Keys of the seams whose rows are on screen, told by the desk while it is there. */
export const seamsInView = (): readonly string[] => shown();
export function setSeamRows(of: (() => readonly string[]) | undefined): void {
  shown = of ?? (() => []);
}
