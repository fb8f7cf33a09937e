/** What a pace needs of WebGL2. */
export type Fences = Pick<WebGL2RenderingContext, 'fenceSync' | 'getSyncParameter' | 'deleteSync' | 'flush' | 'isContextLost'> & {
  readonly SYNC_GPU_COMMANDS_COMPLETE: number;
  readonly SYNC_STATUS: number;
  readonly SIGNALED: number;
};
export type PictureKind = 'moving' | 'plain' | 'fine';
/**
 * Keeps pictures from queueing up: the next one is drawn when the last one stands on screen, and what it took is known.
 * A rasteriser without a graphics card takes up to a second for a picture, while the page that asks for it goes on.
 */
export class Pace {
  /** Milliseconds after which a picture is taken for done, whatever the driver says. */
  static readonly MOST = 3000;
  /** Milliseconds that a picture under a moving hand may take: more than twenty in a second. */
  static readonly FILM = 40;
  /** What the last picture of each kind took, ms: under a moving hand, at rest, and at rest in full fineness. */
  readonly took: Record<PictureKind, number> = { moving: 0, plain: 0, fine: 0 };
  /** Share of its width at which a picture under a moving hand is drawn, so that it comes in time. */
  share = 1;
  /** A moving picture came too late once: what takes long and is not needed for a moment is left out of them from now on. */
  hurried = false;
  /** Pictures on their way, the oldest first. */
  private readonly way: { readonly fence: WebGLSync; readonly start: number; readonly kind: PictureKind }[] = [];
  private lastDone = 0;
  private usual = 0;
  private wanted: (() => void) | undefined;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly gl: Fences,
    private readonly now: () => number = () => performance.now(),
  ) {}
  /** Enough pictures are on their way: `next` is called once there is room, the last one that asked. False when there is room now. */
  waits(next: () => void): boolean {
    // under a moving hand the next one is made ready while the last is being drawn
    const most = this.way.at(-1)?.kind === 'moving' ? 2 : 1;
    if (this.way.length < most) return false;
    this.wanted = next;
    return true;
  }
  /** All of a picture has been handed over. */
  drawn(kind: PictureKind, start: number): void {
    if (kind !== 'moving') this.forget();
    const fence = this.gl.fenceSync(this.gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    this.gl.flush();
    if (!fence) return;
    this.way.push({ fence, start, kind });
    if (this.way.length === 1) this.look();
  }
  private look(): void {
    this.timer = setTimeout(() => {
      const [{ fence, start, kind }] = this.way;
      // what came before is not part of what it took
      const took = this.now() - Math.max(start, this.lastDone);
      const open = !this.gl.isContextLost() && this.gl.getSyncParameter(fence, this.gl.SYNC_STATUS) !== this.gl.SIGNALED;
      if (open && took < Pace.MOST) return this.look();
      this.took[kind] = took;
      this.lastDone = this.now();
      if (kind === 'moving') {
        // two that are done at one look share their time unevenly: a few together tell what one takes
        this.usual = this.usual ? 0.7 * this.usual + 0.3 * took : took;
        this.hurried ||= this.usual > Pace.FILM;
        const share = shareAfter(this.share, this.usual);
        if (share !== this.share) this.usual = 0;
        this.share = share;
      }
      this.gl.deleteSync(fence);
      this.way.shift();
      if (this.way.length) this.look();
      const next = this.wanted;
      this.wanted = undefined;
      next?.();
    }, 4);
  }
  /** Nothing is waited for any more. */
  forget(): void {
    clearTimeout(this.timer);
    for (const { fence } of this.way.splice(0)) this.gl.deleteSync(fence);
    this.wanted = undefined;
  }
}

/** The share of its width for the next moving picture: what a picture takes goes with its pixels. Tenths, and up only where there is room. */
export function shareAfter(share: number, took: number): number {
  const tenths = Math.floor(10 * share * Math.sqrt(Pace.FILM / Math.max(1, took)) + 1e-9) / 10;
  const next = Math.min(1, Math.max(0.6, tenths));
  return next < share || took < Pace.FILM / 2 ? next : share;
}
