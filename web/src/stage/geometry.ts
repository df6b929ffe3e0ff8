/** Geometry for the stage: the part's mesh, the stock as columns, a cutter in its holder. No rule of the trade in here, only shapes. */
import * as THREE from 'three';
import { coneOf, upperRadius } from '../model/cone';
import type { Tool } from '../api/types';
import { Moment, type History } from '../model/history';

export interface PartMesh {
  geometry: THREE.BufferGeometry;
  edges: THREE.BufferGeometry;
  /** Face of each triangle. */
  face: Uint32Array;
}

/** Reads what `job::sheet::mesh_bytes` writes. Triangles do not share corners, so that each can have its face's colour. */
export function readMesh(bytes: ArrayBuffer): PartMesh {
  const [np = 0, nt = 0] = new Uint32Array(bytes, 0, 2);
  const points = new Float32Array(bytes, 8, np * 3);
  const corners = new Uint32Array(bytes, 8 + np * 12, nt * 3);
  const face = new Uint32Array(bytes, 8 + np * 12 + nt * 12, nt);
  const position = new Float32Array(nt * 9);
  corners.forEach((c, k) => position.set(points.subarray(c * 3, c * 3 + 3), k * 3));
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute('position', new THREE.BufferAttribute(position, 3));
  geometry.setAttribute('color', new THREE.BufferAttribute(new Float32Array(nt * 9).fill(1), 3));
  geometry.computeVertexNormals();
  // Lines where two faces meet at an angle.
  const normal = (t: number) => {
    const a = new THREE.Vector3().fromArray(position, t * 9);
    const b = new THREE.Vector3().fromArray(position, t * 9 + 3).sub(a);
    const c = new THREE.Vector3().fromArray(position, t * 9 + 6).sub(a);
    return b.cross(c).normalize();
  };
  const seen = new Map<number, number>();
  const lines: number[] = [];
  for (let t = 0; t < nt; t += 1) {
    for (let k = 0; k < 3; k += 1) {
      const a = corners[t * 3 + k] ?? 0;
      const b = corners[t * 3 + ((k + 1) % 3)] ?? 0;
      const key = Math.min(a, b) * np + Math.max(a, b);
      const other = seen.get(key);
      if (other === undefined) seen.set(key, t);
      else if (face[other] !== face[t] && normal(other).dot(normal(t)) < 0.96)
        lines.push(...points.subarray(a * 3, a * 3 + 3), ...points.subarray(b * 3, b * 3 + 3));
    }
  }
  const edges = new THREE.BufferGeometry();
  edges.setAttribute('position', new THREE.Float32BufferAttribute(lines, 3));
  return { geometry, edges, face };
}

/** Paint faces: those named in the map, the rest in `base`. */
export function paint(mesh: PartMesh, base: THREE.Color, faces: ReadonlyMap<number, THREE.Color>) {
  const color = mesh.geometry.getAttribute('color') as THREE.BufferAttribute;
  mesh.face.forEach((f, t) => {
    const c = faces.get(f) ?? base;
    for (let k = 0; k < 3; k += 1) color.setXYZ(t * 3 + k, c.r, c.g, c.b);
  });
  color.needsUpdate = true;
}

const QUADS = 5;

/** The stock as columns: a lid each, and walls to the neighbours on two sides. Moving in time rewrites only what changed. */
export class Field {
  readonly geometry = new THREE.BufferGeometry();
  readonly moment: Moment;
  private readonly position: THREE.BufferAttribute;
  private readonly color: THREE.BufferAttribute;
  private whole = new THREE.Color();
  private cut = new THREE.Color();

  constructor(readonly history: History) {
    this.moment = new Moment(history);
    // One more row and column of walls than of lids.
    const n = (history.nx + 1) * (history.ny + 1);
    this.position = new THREE.BufferAttribute(new Float32Array(n * QUADS * 12), 3);
    this.color = new THREE.BufferAttribute(new Float32Array(n * QUADS * 12), 3);
    this.position.setUsage(THREE.DynamicDrawUsage);
    this.color.setUsage(THREE.DynamicDrawUsage);
    const index = new Uint32Array(n * QUADS * 6);
    for (let q = 0; q < n * QUADS; q += 1)
      index.set(
        [0, 1, 2, 0, 2, 3].map((k) => q * 4 + k),
        q * 6,
      );
    this.geometry.setAttribute('position', this.position);
    this.geometry.setAttribute('color', this.color);
    this.geometry.setIndex(new THREE.BufferAttribute(index, 1));
    const z = [...history.start].reduce((a, b) => Math.max(a, b), -Infinity);
    const middle = new THREE.Vector3(
      history.x0 + (history.nx * history.pitch) / 2,
      history.y0 + (history.ny * history.pitch) / 2,
      z / 2,
    );
    this.geometry.boundingSphere = new THREE.Sphere(middle, Math.hypot(history.nx, history.ny) * history.pitch + z);
  }

  paint(whole: THREE.Color, cut: THREE.Color) {
    this.whole = whole;
    this.cut = cut;
    this.all();
  }

  /** Go to a time; true when something changed. */
  seek(seconds: number): boolean {
    const changed = this.moment.seek(seconds);
    const { nx } = this.history;
    if (changed.length > 20_000) this.all();
    else
      for (const c of new Set(changed)) {
        const i = c % nx;
        const j = Math.floor(c / nx);
        this.cell(i, j);
        this.cell(i + 1, j);
        this.cell(i, j + 1);
      }
    this.position.needsUpdate = changed.length > 0;
    this.color.needsUpdate = changed.length > 0;
    return changed.length > 0;
  }

  private all() {
    for (let j = 0; j <= this.history.ny; j += 1) for (let i = 0; i <= this.history.nx; i += 1) this.cell(i, j);
    this.position.needsUpdate = true;
    this.color.needsUpdate = true;
  }

  /** Under- and upper end of a column, and whether it was cut; nothing outside or where it was cut through. */
  private ends(i: number, j: number): { u: number; t: number; cut: boolean } | null {
    const h = this.history;
    if (i < 0 || j < 0 || i >= h.nx || j >= h.ny) return null;
    const c = j * h.nx + i;
    const u = h.under[c] ?? 0;
    const t = this.moment.top[c] ?? 0;
    return t > u + 1e-4 ? { u, t, cut: t < (h.start[c] ?? 0) - 1e-4 } : null;
  }

  private quad(q: number, p: readonly number[] | null, c: THREE.Color) {
    const at = q * 12;
    const position = this.position.array as Float32Array;
    if (p) position.set(p, at);
    else position.fill(0, at, at + 12);
    const color = this.color.array as Float32Array;
    for (let k = 0; k < 4; k += 1) color.set([c.r, c.g, c.b], at + k * 3);
  }

  /** Lid of a column and its walls to the left and to the front. */
  private cell(i: number, j: number) {
    const h = this.history;
    if (i > h.nx || j > h.ny) return;
    const q = (j * (h.nx + 1) + i) * QUADS;
    const [x, y] = [h.x0 + i * h.pitch, h.y0 + j * h.pitch];
    const [x1, y1] = [x + h.pitch, y + h.pitch];
    const me = this.ends(i, j);
    this.quad(q, me && [x, y, me.t, x1, y, me.t, x1, y1, me.t, x, y1, me.t], me?.cut ? this.cut : this.whole);
    this.walls(q + 1, me, j < h.ny ? this.ends(i - 1, j) : null, i === 0 || i === h.nx, (lo, hi) => [
      x,
      y,
      lo,
      x,
      y1,
      lo,
      x,
      y1,
      hi,
      x,
      y,
      hi,
    ]);
    this.walls(q + 3, me, i < h.nx ? this.ends(i, j - 1) : null, j === 0 || j === h.ny, (lo, hi) => [
      x,
      y,
      lo,
      x1,
      y,
      lo,
      x1,
      y,
      hi,
      x,
      y,
      hi,
    ]);
  }

  private walls(
    q: number,
    a: { u: number; t: number; cut: boolean } | null,
    b: { u: number; t: number; cut: boolean } | null,
    edge: boolean,
    shape: (lo: number, hi: number) => number[],
  ) {
    const one = a ?? b;
    if (!one) {
      this.quad(q, null, this.whole);
      this.quad(q + 1, null, this.whole);
      return;
    }
    if (!a || !b) {
      // The block's own side stays as it was sawn; a wall beside a column that was cut through is a cut one.
      this.quad(q, shape(one.u, one.t), edge ? this.whole : this.cut);
      this.quad(q + 1, null, this.whole);
      return;
    }
    const lower = a.t < b.t ? a : b;
    this.quad(q, a.t === b.t ? null : shape(lower.t, Math.max(a.t, b.t)), lower.cut ? this.cut : this.whole);
    // Undersides differ only where the side before has cut.
    this.quad(q + 1, a.u === b.u ? null : shape(Math.min(a.u, b.u), Math.max(a.u, b.u)), this.cut);
  }
}

/** A cutter in its holder, its lowest point at 0, pointing down along z. */
export function cutter(tool: Tool, flutes: THREE.Material, body: THREE.Material): THREE.Group {
  const r = tool.diameter_mm / 2;
  const g = new THREE.Group();
  const profile: [number, number][] = [[0.001, 0]];
  const cone = coneOf(tool);
  if (cone) {
    if (cone.tip > 0) profile.push([cone.tip, 0]);
    profile.push([r, cone.height]);
  } else {
    // A ball, or a rounded corner, in steps of 9°.
    const c = tool.kind === 'ball' ? r : tool.kind === 'bull' ? Math.min(tool.corner_radius_mm, r) : 0;
    for (let k = 0; c > 0 && k < 10; k++) {
      const a = (k * Math.PI) / 20;
      profile.push([Math.max(r - c + c * Math.sin(a), 0.001), c - c * Math.cos(a)]);
    }
    profile.push([r, c]);
  }
  profile.push([upperRadius(tool), tool.flute_length_mm]);
  const turned = (points: [number, number][], m: THREE.Material) => {
    const lathe = new THREE.LatheGeometry(
      points.map(([x, y]) => new THREE.Vector2(x, y)),
      24,
    );
    lathe.rotateX(Math.PI / 2);
    g.add(new THREE.Mesh(lathe, m));
  };
  turned(profile, flutes);
  const s = tool.shank_diameter_mm / 2;
  let z = tool.stickout_mm;
  turned(
    [
      [s, tool.flute_length_mm],
      [s, z],
    ],
    body,
  );
  for (const p of tool.holder) {
    const h = p.diameter_mm / 2;
    turned(
      [
        [0.001, z],
        [h, z],
        [h, z + p.length_mm],
        [0.001, z + p.length_mm],
      ],
      body,
    );
    z += p.length_mm;
  }
  return g;
}

/** Closed outlines as shapes with their holes: outer ones run counter-clockwise, holes clockwise. */
export function shapesOf(loops: readonly (readonly (readonly [number, number])[])[]): THREE.Shape[] {
  const points = loops.map((l) => l.map(([x, y]) => new THREE.Vector2(x, y)));
  const outer = points.filter((l) => THREE.ShapeUtils.area(l) > 0);
  const shapes = outer.map((l) => new THREE.Shape(l));
  for (const hole of points.filter((l) => THREE.ShapeUtils.area(l) < 0)) {
    // The smallest outline around it has it.
    const around = outer
      .map((l, k) => ({ k, area: THREE.ShapeUtils.area(l), in: hole.every((p) => inside(p, l)) }))
      .filter((o) => o.in)
      .sort((a, b) => a.area - b.area)[0];
    shapes[around?.k ?? -1]?.holes.push(new THREE.Path(hole));
  }
  return shapes;
}

function inside(p: THREE.Vector2, l: readonly THREE.Vector2[]): boolean {
  let is = false;
  l.forEach((a, k) => {
    const b = l[(k + 1) % l.length] ?? a;
    if (a.y > p.y !== b.y > p.y && p.x < a.x + ((p.y - a.y) / (b.y - a.y)) * (b.x - a.x)) is = !is;
  });
  return is;
}

type Loops = readonly (readonly (readonly [number, number])[])[];

/** Lines that an eye sees on a body of prisms: where an outline ends at a height (not where the next prism has it too), and up its corners. Pairs of
 *  points. */
export function stepLines(layers: readonly (readonly [number, number, Loops])[]): [number, number, number][] {
  const out: [number, number, number][] = [];
  const segments = (loops: Loops) => {
    const all = new Map<string, readonly [readonly [number, number], readonly [number, number]]>();
    for (const l of loops)
      l.forEach((a, k) => {
        const b = l[(k + 1) % l.length] ?? a;
        all.set([...a, ...b].map((v) => v.toFixed(2)).join(), [a, b]);
      });
    return all;
  };
  const each = layers.map((l) => segments(l[2]));
  layers.forEach(([z0, z1, loops], n) => {
    for (const [key, [a, b]] of each[n] ?? [])
      for (const [z, other] of [
        [z0, each[n - 1]],
        [z1, each[n + 1]],
      ] as const)
        if (!other?.has(key)) out.push([a[0], a[1], z], [b[0], b[1], z]);
    for (const l of loops)
      l.forEach((p, k) => {
        const q = l[(k + l.length - 1) % l.length] ?? p;
        const r = l[(k + 1) % l.length] ?? p;
        const turn = Math.atan2(r[1] - p[1], r[0] - p[0]) - Math.atan2(p[1] - q[1], p[0] - q[0]);
        if (Math.cos(turn) < Math.cos(Math.PI / 6)) out.push([p[0], p[1], z0], [p[0], p[1], z1]);
      });
  });
  return out;
}

/** A prism over a convex ring that lies square to an axis, up to a corner of the box around it. */
export function prismOver(
  ring: readonly (readonly [number, number, number])[],
  to: readonly [number, number, number],
): THREE.BufferGeometry {
  const flat = [0, 1, 2].find((k) => ring.every((p) => Math.abs((p[k] ?? 0) - (ring[0]?.[k] ?? 0)) < 1e-6)) ?? 2;
  const far = ring.map((p) => p.map((v, k) => (k === flat ? (to[flat] ?? 0) : v)));
  const points: number[] = [];
  const put = (...all: (readonly number[] | undefined)[]) => all.forEach((p) => points.push(...(p ?? [0, 0, 0])));
  for (let k = 0; k < ring.length; k++) {
    const n = (k + 1) % ring.length;
    put(ring[k], ring[n], far[n], ring[k], far[n], far[k]);
    if (k > 0 && n > 0) {
      put(ring[0], ring[n], ring[k], far[0], far[k], far[n]);
    }
  }
  const g = new THREE.BufferGeometry();
  g.setAttribute('position', new THREE.Float32BufferAttribute(points, 3));
  g.computeVertexNormals();
  return g;
}
