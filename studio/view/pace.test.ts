import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { type Fences, Pace, shareAfter } from './pace.ts';

const SIGNALED = 7;
class Driver implements Fences {
  readonly SYNC_GPU_COMMANDS_COMPLETE = 1;
  readonly SYNC_STATUS = 2;
  readonly SIGNALED = SIGNALED;
  open = 0;
  lost = false;
  done = false;
  fenceSync() {
    this.open++;
    return {} as WebGLSync;
  }
  getSyncParameter() {
    return this.done ? SIGNALED : 0;
  }
  deleteSync() {
    this.open--;
  }
  flush() {}
  isContextLost() {
    return this.lost;
  }
}
describe('the pace of pictures', () => {
  beforeEach(() => vi.useFakeTimers());
  afterEach(() => vi.useRealTimers());
  const made = () => {
    const driver = new Driver();
    return { driver, pace: new Pace(driver, () => Date.now()) };
  };
  it('holds nothing back while nothing is on its way', () => {
    expect(made().pace.waits(() => {})).toBe(false);
  });
  it('calls the last one that asked, once, when the picture stands, and knows what it took', () => {
    const { driver, pace } = made();
    pace.drawn('plain', Date.now());
    const calls: number[] = [];
    expect([1, 2, 3].map((n) => pace.waits(() => calls.push(n)))).toEqual([true, true, true]);
    vi.advanceTimersByTime(400);
    expect(calls).toEqual([]);
    driver.done = true;
    vi.advanceTimersByTime(8);
    expect(calls).toEqual([3]);
    expect(pace.took.plain).toBeGreaterThanOrEqual(400);
    expect(pace.took.plain).toBeLessThan(412);
    expect(pace.took.fine).toBe(0);
    vi.advanceTimersByTime(1000);
    expect(calls).toEqual([3]);
    expect(driver.open).toBe(0);
    expect(pace.waits(() => {})).toBe(false);
  });
  it('goes on when the driver never answers, and when its context is gone', () => {
    const { driver, pace } = made();
    let calls = 0;
    pace.drawn('fine', Date.now());
    pace.waits(() => calls++);
    vi.advanceTimersByTime(Pace.MOST - 8);
    expect(calls).toBe(0);
    vi.advanceTimersByTime(16);
    expect(calls).toBe(1);
    pace.drawn('fine', Date.now());
    pace.waits(() => calls++);
    driver.lost = true;
    vi.advanceTimersByTime(8);
    expect(calls).toBe(2);
    expect(driver.open).toBe(0);
  });
  it('a picture drawn over another, or none any more, leaves no fence', () => {
    const { driver, pace } = made();
    pace.drawn('plain', Date.now());
    pace.drawn('plain', Date.now());
    expect(driver.open).toBe(1);
    pace.forget();
    expect(driver.open).toBe(0);
    vi.advanceTimersByTime(50);
    expect(pace.took.plain).toBe(0);
  });
  it('draws moving pictures as finely as comes in time, and finely again when there is room', () => {
    // twice the time: 0.7 of the width; never below 0.6, which would be too coarse to see; no change while it is about right
    expect(shareAfter(1, 80)).toBe(0.7);
    expect(shareAfter(0.7, 4000)).toBe(0.6);
    expect(shareAfter(0.7, 30)).toBe(0.7);
    expect(shareAfter(0.6, 10)).toBe(1);
    // whatever a picture takes by its pixels, it settles: no swinging between two sizes
    for (const cost of [5, 45, 70, 90, 110]) {
      let share = 1;
      for (let i = 0; i < 20; i++) share = shareAfter(share, cost * share * share);
      const settled = share;
      for (let i = 0; i < 5; i++) share = shareAfter(share, cost * share * share);
      expect(share).toBe(settled);
      expect(cost * share * share).toBeLessThanOrEqual(Pace.FILM);
    }
    const { driver, pace } = made();
    pace.drawn('moving', Date.now());
    pace.waits(() => {});
    vi.advanceTimersByTime(160);
    driver.done = true;
    vi.advanceTimersByTime(8);
    expect(pace.share).toBe(0.6);
    expect(pace.hurried).toBe(true);
  });
});
