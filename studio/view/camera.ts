import type { Vec3 } from '@ample-skin/core/math';
import * as THREE from 'three';

export type NamedView = 'free' | 'top' | 'front' | 'right' | 'back' | 'left' | 'bottom';
export const VIEWS: Record<Exclude<NamedView, 'free'>, readonly [heading: number, tilt: number]> = {
  top: [0, 90],
  bottom: [0, -90],
  front: [0, 0],
  right: [90, 0],
  back: [180, 0],
  left: [270, 0],
};

/** A camera that circles a target: heading about z (0 looks from the front), tilt above the horizon, degrees. */
export class Orbit {
  heading = 32;
  tilt = 22;
  distance = 300;
  target = new THREE.Vector3();
  /** Axes in which heading and tilt count: the world's, or those of a work plane that the views are aligned to. */
  base: { readonly x: Vec3; readonly y: Vec3; readonly z: Vec3 } = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
  readonly perspective = new THREE.PerspectiveCamera(28, 1, 1, 10000);
  readonly parallel = new THREE.OrthographicCamera(-1, 1, 1, -1, -10000, 10000);
  constructor(public flat = false) {
    this.perspective.up.set(0, 0, 1);
    this.parallel.up.set(0, 0, 1);
  }
  get camera(): THREE.PerspectiveCamera | THREE.OrthographicCamera {
    return this.flat ? this.parallel : this.perspective;
  }
  /** Unit vector from the target to the eye. */
  outward(): THREE.Vector3 {
    const h = THREE.MathUtils.degToRad(this.heading);
    const t = THREE.MathUtils.degToRad(this.tilt);
    return this.inBase(Math.sin(h) * Math.cos(t), -Math.cos(h) * Math.cos(t), Math.sin(t));
  }
  private inBase(a: number, b: number, c: number): THREE.Vector3 {
    const { x, y, z } = this.base;
    return new THREE.Vector3(a * x[0] + b * y[0] + c * z[0], a * x[1] + b * y[1] + c * z[1], a * x[2] + b * y[2] + c * z[2]);
  }
  update(aspect: number): void {
    const out = this.outward();
    const eye = this.target.clone().addScaledVector(out, this.distance);
    const h = THREE.MathUtils.degToRad(this.heading);
    const up =
      Math.abs(this.tilt) > 89.9
        ? this.inBase(-Math.sin(h) * Math.sign(this.tilt), Math.cos(h) * Math.sign(this.tilt), 0)
        : this.inBase(0, 0, 1);
    const camera = this.camera;
    camera.up.copy(up);
    camera.position.copy(eye);
    camera.lookAt(this.target);
    if (camera instanceof THREE.PerspectiveCamera) {
      camera.aspect = aspect;
      camera.near = Math.max(this.distance / 500, 1e-3);
      camera.far = this.distance * 50;
    } else {
      const half = this.distance * Math.tan(THREE.MathUtils.degToRad(14));
      camera.left = -half * aspect;
      camera.right = half * aspect;
      camera.top = half;
      camera.bottom = -half;
      camera.near = -this.distance * 40;
      camera.far = this.distance * 40;
    }
    camera.updateProjectionMatrix();
    camera.updateMatrixWorld();
  }
  /** Millimetres a pixel covers at the target. */
  scale(height: number): number {
    return (2 * this.distance * Math.tan(THREE.MathUtils.degToRad(14))) / Math.max(1, height);
  }
  orbit(dx: number, dy: number): void {
    this.heading = (this.heading - dx * 0.4 + 360) % 360;
    this.tilt = Math.min(90, Math.max(-90, this.tilt + dy * 0.4));
  }
  pan(dx: number, dy: number, height: number): void {
    const m = this.camera.matrixWorld.elements;
    const s = this.scale(height);
    this.target.addScaledVector(new THREE.Vector3(m[0], m[1], m[2]), -dx * s).addScaledVector(new THREE.Vector3(m[4], m[5], m[6]), dy * s);
  }
  /** Zooms by a factor, keeping the point under (nx, ny) (-1..1) where it is. */
  zoom(factor: number, nx: number, ny: number, aspect: number): void {
    const next = Math.min(1e5, Math.max(0.05, this.distance * factor));
    const half = Math.tan(THREE.MathUtils.degToRad(14)) * (this.distance - next);
    const m = this.camera.matrixWorld.elements;
    this.target
      .addScaledVector(new THREE.Vector3(m[0], m[1], m[2]), nx * half * aspect)
      .addScaledVector(new THREE.Vector3(m[4], m[5], m[6]), ny * half);
    this.distance = next;
  }
  frame(min: Vec3, max: Vec3, aspect: number): void {
    this.target.set((min[0] + max[0]) / 2, (min[1] + max[1]) / 2, (min[2] + max[2]) / 2);
    const radius = Math.max(1e-3, Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]) / 2);
    this.distance = (radius * 1.08) / Math.sin(THREE.MathUtils.degToRad(14)) / Math.min(1, aspect);
  }
}
