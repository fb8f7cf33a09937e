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
  private fence: WebGLSync | null = null;
  private wanted: (() => void) | undefined;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly gl: Fences,
    private readonly now: () => number = () => performance.now(),
  ) {}
  /** A picture is on its way: `next` is called once it is done, the last one that asked. False when nothing is. */
  waits(next: () => void): boolean {
    if (!this.fence) return false;
    this.wanted = next;
    return true;
  }
  /** All of a picture has been handed over. */
  drawn(kind: PictureKind, start: number): void {
    this.forget();
    this.fence = this.gl.fenceSync(this.gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    this.gl.flush();
    if (this.fence) this.look(kind, start);
  }
  private look(kind: PictureKind, start: number): void {
    this.timer = setTimeout(() => {
      const took = this.now() - start;
      const open = this.fence && !this.gl.isContextLost() && this.gl.getSyncParameter(this.fence, this.gl.SYNC_STATUS) !== this.gl.SIGNALED;
      if (open && took < Pace.MOST) return this.look(kind, start);
      this.took[kind] = took;
      if (kind === 'moving') this.share = shareAfter(this.share, took);
      const next = this.wanted;
      this.forget();
      next?.();
    }, 4);
  }
  /** Nothing is waited for any more. */
  forget(): void {
    clearTimeout(this.timer);
    if (this.fence) this.gl.deleteSync(this.fence);
    this.fence = null;
    this.wanted = undefined;
  }
}

/** The share of its width for the next moving picture: what a picture takes goes with its pixels. Tenths, and up only where there is room. */
export function shareAfter(share: number, took: number): number {
  const tenths = Math.floor(10 * share * Math.sqrt(Pace.FILM / Math.max(1, took)) + 1e-9) / 10;
  const next = Math.min(1, Math.max(0.4, tenths));
  return next < share || took < Pace.FILM / 2 ? next : share;
}
