import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import type { Tool } from '../api/types';
import type { History } from '../model/history';
import { cutter, Field, paint, readMesh, shapesOf, stepLines } from './geometry';

/** A cube of side 2 as `job::sheet::mesh_bytes` writes it: 8 points, 12 triangles, 6 faces. */
function cube(): ArrayBuffer {
  const points = [...Array(8).keys()].flatMap((k) => [k & 1, (k >> 1) & 1, k >> 2].map((v) => 2 * v));
  const quads = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ] as const;
  const corners = quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d]);
  const bytes = new ArrayBuffer(8 + 8 * 12 + 12 * 12 + 12 * 4);
  new Uint32Array(bytes, 0, 2).set([8, 12]);
  new Float32Array(bytes, 8, 24).set(points);
  new Uint32Array(bytes, 8 + 96, 36).set(corners);
  new Uint32Array(bytes, 8 + 96 + 144, 12).set([...Array(12).keys()].map((t) => Math.floor(t / 2)));
  return bytes;
}

const corner = (g: THREE.BufferGeometry, k: number) =>
  new THREE.Vector3().fromBufferAttribute(g.getAttribute('position') as THREE.BufferAttribute, k);

/** Volume by the divergence theorem: a closed mesh that is turned outwards gives its own. */
function volume(g: THREE.BufferGeometry): number {
  let v = 0;
  for (let t = 0; t < g.getAttribute('position').count; t += 3)
    v += corner(g, t).dot(corner(g, t + 1).cross(corner(g, t + 2))) / 6;
  return v;
}

describe('the mesh of a part', () => {
  const mesh = readMesh(cube());
  it('encloses the part', () => {
    expect(Math.abs(volume(mesh.geometry))).toBeCloseTo(8, 6);
    expect(mesh.face).toHaveLength(12);
  });
  it('has a line where two faces meet, and none within a face', () => {
    const p = mesh.edges.getAttribute('position');
    expect(p.count / 2).toBe(12);
    for (let k = 0; k < p.count; k += 2) expect(corner(mesh.edges, k).distanceTo(corner(mesh.edges, k + 1))).toBe(2);
  });
  it('takes the colour of a face at each of its triangles', () => {
    const red = new THREE.Color(1, 0, 0);
    paint(mesh, new THREE.Color(0, 0, 1), new Map([[3, red]]));
    const c = mesh.geometry.getAttribute('color');
    const reds = [...Array(36).keys()].filter((k) => c.getX(k) === 1 && c.getZ(k) === 0);
    expect(reds).toEqual([18, 19, 20, 21, 22, 23]);
    expect(c.getZ(0)).toBe(1);
  });
});

/** A small generator, so that a failure can be seen again. */
function numbers(seed: number) {
  let s = seed;
  return () => {
    s = (s * 1664525 + 1013904223) % 4294967296;
    return s / 4294967296;
  };
}

function history(seed: number): History {
  const next = numbers(seed);
  const [nx, ny, falls] = [6, 5, 60];
  const n = nx * ny;
  const under = new Float32Array(n).map(() => (next() < 0.2 ? 1 : 0));
  const start = new Float32Array(n).fill(10);
  const now = start.slice();
  const h: History = {
    nx,
    ny,
    x0: -3,
    y0: 2,
    pitch: 0.5,
    under,
    start,
    at: new Float32Array(falls),
    column: new Uint32Array(falls),
    top: new Float32Array(falls),
    before: new Float32Array(falls),
  };
  for (let k = 0; k < falls; k += 1) {
    const c = Math.floor(next() * n);
    const floor = under[c] ?? 0;
    // Some are cut through.
    const to = next() < 0.3 ? floor : floor + ((now[c] ?? 0) - floor) * next();
    h.at[k] = k;
    h.column[k] = c;
    h.before[k] = now[c] ?? 0;
    h.top[k] = to;
    now[c] = to;
  }
  return h;
}

const flat = (f: Field) => [f.geometry.getAttribute('position').array, f.geometry.getAttribute('color').array];

/** Area of all quads that lie flat, and of all that stand. */
function areas(f: Field): [number, number] {
  const out: [number, number] = [0, 0];
  for (let q = 0; q < f.geometry.getAttribute('position').count; q += 4) {
    const p = [0, 1, 3].map((k) => corner(f.geometry, q + k));
    const [a, b, d] = p as [THREE.Vector3, THREE.Vector3, THREE.Vector3];
    const n = b.clone().sub(a).cross(d.clone().sub(a));
    out[Math.abs(n.z) > 0 ? 0 : 1] += n.length();
  }
  return out;
}

describe('the stock as columns', () => {
  const [whole, cut] = [new THREE.Color(0.5, 0.5, 0.5), new THREE.Color(1, 0.5, 0)];
  const field = (h: History) => {
    const f = new Field(h);
    f.paint(whole, cut);
    return f;
  };

  it('looks the same whichever way one comes to a moment', () => {
    for (const seed of [1, 2, 3]) {
      const h = history(seed);
      const next = numbers(seed + 100);
      const walked = field(h);
      for (let k = 0; k < 25; k += 1) {
        const t = next() * 64 - 2;
        walked.seek(t);
        const straight = field(h);
        straight.seek(t);
        straight.paint(whole, cut);
        expect(flat(walked)).toEqual(flat(straight));
      }
    }
  });

  it('has a lid for each column that stands, and walls where neighbours differ', () => {
    const h = history(7);
    const f = field(h);
    for (const t of [-1, 10, 30, 59]) {
      f.seek(t);
      f.paint(whole, cut);
      const at = (i: number, j: number) => {
        if (i < 0 || j < 0 || i >= h.nx || j >= h.ny) return null;
        const c = j * h.nx + i;
        const ends = [h.under[c] ?? 0, f.moment.top[c] ?? 0] as const;
        return ends[1] > ends[0] + 1e-4 ? ends : null;
      };
      let [lids, walls] = [0, 0];
      const between = (a: readonly [number, number] | null, b: readonly [number, number] | null) =>
        a && b ? Math.abs(a[0] - b[0]) + Math.abs(a[1] - b[1]) : a ? a[1] - a[0] : b ? b[1] - b[0] : 0;
      for (let j = 0; j <= h.ny; j += 1)
        for (let i = 0; i <= h.nx; i += 1) {
          if (at(i, j)) lids += h.pitch ** 2;
          if (j < h.ny) walls += between(at(i - 1, j), at(i, j)) * h.pitch;
          if (i < h.nx) walls += between(at(i, j - 1), at(i, j)) * h.pitch;
        }
      const [flatArea, standing] = areas(f);
      expect(flatArea).toBeCloseTo(lids, 3);
      expect(standing).toBeCloseTo(walls, 3);
    }
  });

  it('says whether a step changed anything', () => {
    const f = field(history(4));
    expect(f.seek(5)).toBe(true);
    expect(f.seek(5.5)).toBe(false);
    expect(f.seek(-1)).toBe(true);
  });
});

describe('a cutter in its holder', () => {
  const material = new THREE.MeshBasicMaterial();
  const tool = (more: Partial<Tool>) =>
    ({
      kind: 'end_mill',
      diameter_mm: 12,
      tip_diameter_mm: 0,
      point_angle_deg: 0,
      flute_length_mm: 26,
      shank_diameter_mm: 10,
      stickout_mm: 40,
      holder: [
        { diameter_mm: 28, length_mm: 30 },
        { diameter_mm: 50, length_mm: 20 },
      ],
      ...more,
    }) as unknown as Tool;
  const box = (t: Tool) => new THREE.Box3().setFromObject(cutter(t, material, material));
  const radiusAt = (t: Tool, z: number) => {
    const flutes = cutter(t, material, material).children[0] as THREE.Mesh;
    const p = flutes.geometry.getAttribute('position');
    const near = [...Array(p.count).keys()].filter((k) => Math.abs(p.getZ(k) - z) < 1e-3);
    return near.map((k) => Math.hypot(p.getX(k), p.getY(k))).reduce((a, b) => Math.max(a, b), 0);
  };

  it('stands on its lowest point and is as long as all its pieces', () => {
    const b = box(tool({}));
    expect(b.min.z).toBeCloseTo(0, 5);
    expect(b.max.z).toBeCloseTo(90, 5);
    expect(b.max.x).toBeCloseTo(25, 3);
    expect(radiusAt(tool({}), 0)).toBeCloseTo(6, 5);
    expect(radiusAt(tool({}), 26)).toBeCloseTo(6, 5);
  });
  it('has the point of a drill, and the flat tip of a chamfer mill', () => {
    // 118°: the point is r ÷ tan 59° high.
    const drill = tool({ kind: 'drill', point_angle_deg: 118 });
    expect(radiusAt(drill, 0)).toBeLessThan(0.01);
    expect(radiusAt(drill, 6 / Math.tan((59 * Math.PI) / 180))).toBeCloseTo(6, 4);
    const chamfer = tool({ kind: 'chamfer', point_angle_deg: 90, tip_diameter_mm: 2 });
    expect(radiusAt(chamfer, 0)).toBeCloseTo(1, 5);
    expect(radiusAt(chamfer, 5)).toBeCloseTo(6, 5);
    // Of a ball Ø12 in steps of 9°: its point, and half way round.
    const ball = tool({ kind: 'ball' });
    expect(radiusAt(ball, 0)).toBeLessThan(0.01);
    expect(radiusAt(ball, 6 - 6 * Math.cos(Math.PI / 4))).toBeCloseTo(6 * Math.SQRT1_2, 4);
  });
});

type Pair = [number, number];
const square = (x: number, half: number): Pair[] => [
  [x - half, -half],
  [x + half, -half],
  [x + half, half],
  [x - half, half],
];

describe('bodies in layers', () => {
  it('gives each hole to the smallest outline around it', () => {
    const hole = square(0, 1).reverse();
    const shapes = shapesOf([square(0, 10), hole, square(30, 4), square(31, 1).reverse()]);
    expect(shapes.map((s) => s.holes.length)).toEqual([1, 1]);
    const island = shapesOf([square(0, 10), square(0, 6).reverse(), square(0, 4), square(0, 2).reverse()]);
    expect(island.map((s) => s.holes.length)).toEqual([1, 1]);
  });

  it('draws a line where an outline ends, and none where the next layer goes on', () => {
    const whole = square(0, 5);
    const pocket = square(0, 2).reverse();
    const lines = stepLines([
      [0, 3, [whole]],
      [3, 5, [whole, pocket]],
    ]);
    const flat = (z: number) => lines.filter((p, k) => k % 2 === 0 && p[2] === z && lines[k + 1]?.[2] === z).length;
    // Outline below and above; the pocket's edge at its floor and at the top. Nothing of the outline in between.
    expect([flat(0), flat(3), flat(5)]).toEqual([4, 4, 8]);
  });
});
