import type { Vec3 } from '@ample-skin/core/math';

export interface ViewLabel {
  readonly at: Vec3;
  readonly text: string;
  readonly kind?: 'number' | 'measure';
}

/** Small texts over the view. They are placed after each drawing, by the view itself: nothing else has to follow the camera. */
export class LabelLayer {
  private readonly host = document.createElement('div');
  private list: readonly ViewLabel[] = [];
  private readonly spans: HTMLSpanElement[] = [];
  constructor(parent: HTMLElement) {
    this.host.className = 'labels';
    parent.appendChild(this.host);
  }
  set(list: readonly ViewLabel[]): void {
    this.list = list;
    while (this.spans.length > list.length) this.spans.pop()?.remove();
    while (this.spans.length < list.length) {
      const s = document.createElement('span');
      this.host.appendChild(s);
      this.spans.push(s);
    }
    list.forEach((l, i) => {
      if (this.spans[i].textContent !== l.text) this.spans[i].textContent = l.text;
      this.spans[i].className = `badge ${l.kind ?? 'number'}`;
    });
  }
  /** Puts every label to where its place is on screen. */
  place(project: (p: Vec3) => { x: number; y: number; depth: number }, width: number, height: number): void {
    this.list.forEach((l, i) => {
      const p = project(l.at);
      const seen = p.depth < 1 && p.x > -40 && p.y > -20 && p.x < width + 40 && p.y < height + 20;
      this.spans[i].style.display = seen ? '' : 'none';
      if (seen) this.spans[i].style.transform = `translate(${p.x.toFixed(1)}px, ${p.y.toFixed(1)}px)`;
    });
  }
  dispose(): void {
    this.host.remove();
  }
}
