/** The 3D stage. Pictures are made on demand only; per-frame work never passes through React. */
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { Drawing, KeepOutSheet, Place, SideSheet, Tool } from '../api/types';
import type { History } from '../model/history';
import { pathOf, placeAt, type Place as Point } from '../model/strip';
import type { StripSetup } from '../api/types';
import type { Theme } from '../parts/theme';
import { cutter, Field, paint, prismOver, readMesh, shapesOf, stepLines, type PartMesh } from './geometry';

export type ViewFrom = 'corner' | 'top' | 'front';

export interface Picked {
  face: number;
  point: [number, number, number];
}

/** A measured length on the stage, part coordinates. */
export interface Dim {
  from: readonly [number, number, number];
  to: readonly [number, number, number];
  words: string;
}

/** The piece around a blank: its outline seen along its height (or, of bars, along its length), and how long it is that way. */
export interface PieceOnStage {
  /** Row by row, part → piece. */
  rows: readonly number[];
  loops: Drawing['piece'][0];
  /** "z": the loops are (x, y); "x": they are (y, z). */
  along: 'x' | 'z';
  length: number;
}

/** What stands on the stage. */
export type Play =
  | {
      kind: 'part';
      blue?: readonly number[];
      brass?: readonly number[];
      /** Colours of faces by their number. */
      paint?: ReadonlyMap<number, string>;
      block?: Place;
      /** A bar's section at the low end of that. */
      ring?: readonly (readonly [number, number, number])[] | null;
      piece?: PieceOnStage;
    }
  | {
      kind: 'hold';
      side: SideSheet;
      block: Place;
      ring?: readonly (readonly [number, number, number])[] | null;
      finished: boolean;
    }
  | { kind: 'cut'; side: SideSheet; history: History; strip: StripSetup; lines?: readonly [number, number] };

const box = (p: Place) => new THREE.Box3(new THREE.Vector3(...p.min_mm), new THREE.Vector3(...p.max_mm));

/** What the plan starts from: a block, or a length of bar. */
function stockSolid(p: Place, ring: readonly (readonly [number, number, number])[]): THREE.BufferGeometry {
  const b = box(p);
  if (ring.length > 2) return prismOver(ring, p.max_mm);
  const s = b.getSize(new THREE.Vector3());
  const g = new THREE.BoxGeometry(s.x, s.y, s.z);
  g.translate(...b.getCenter(new THREE.Vector3()).toArray());
  return g;
}

export class Scene {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly camera = new THREE.PerspectiveCamera(28, 1, 1, 5000);
  private readonly scene = new THREE.Scene();
  private readonly controls: OrbitControls;
  private readonly sun = new THREE.DirectionalLight(0xffffff, 1.9);
  /** Everything of the play; in part or in work coordinates. */
  private world = new THREE.Group();
  private marks = new THREE.Group();
  private measure = new THREE.Group();
  private lengths = new THREE.Group();
  private theme: Theme;
  private mesh: PartMesh | null = null;
  private part: THREE.Mesh | null = null;
  private play: Play | null = null;
  private field: Field | null = null;
  private tools = new Map<number, THREE.Group>();
  private seconds = 0;
  private pending = 0;
  private bounds = new THREE.Box3(new THREE.Vector3(), new THREE.Vector3(1, 1, 1));
  private resize: ResizeObserver;
  private from: ViewFrom = 'corner';
  private touched = false;
  /** How far the picture stands below the middle, as a share of half its height. */
  private low = 0;
  /** Where the part is cut open: axis and place, mm. */
  private cut: { axis: 0 | 1 | 2; at: number } | null = null;
  private readonly knife = new THREE.Plane();
  private ghost: PartMesh | null = null;
  private ghostIsBeside = false;
  onHover: ((face: number | null) => void) | null = null;
  onPick: ((p: Picked) => void) | null = null;

  constructor(
    private readonly host: HTMLElement,
    theme: Theme,
  ) {
    this.theme = theme;
    this.renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true, preserveDrawingBuffer: true });
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.renderer.localClippingEnabled = true;
    host.append(this.renderer.domElement);
    this.camera.up.set(0, 0, 1);
    this.scene.add(
      this.world,
      this.marks,
      this.measure,
      this.lengths,
      new THREE.HemisphereLight(0xffffff, 0x8a8577, 1.5),
      this.camera,
    );
    this.sun.position.set(-0.5, 0.9, 0.6);
    this.camera.add(this.sun);
    this.controls = new OrbitControls(this.camera, this.renderer.domElement);
    this.controls.enableDamping = false;
    this.controls.addEventListener('change', () => this.ask());
    this.controls.addEventListener('start', () => {
      this.touched = true;
    });
    this.resize = new ResizeObserver(() => this.size());
    this.resize.observe(host);
    const canvas = this.renderer.domElement;
    canvas.addEventListener('pointermove', (e) => this.hover(e));
    canvas.addEventListener('pointerleave', () => this.onHover?.(null));
    let down: [number, number] = [0, 0];
    canvas.addEventListener('pointerdown', (e) => {
      down = [e.clientX, e.clientY];
    });
    canvas.addEventListener('click', (e) => {
      if (Math.hypot(e.clientX - down[0], e.clientY - down[1]) > 4) return;
      const p = this.hit(e);
      if (p) this.onPick?.(p);
    });
    this.size();
  }

  dispose() {
    cancelAnimationFrame(this.pending);
    this.resize.disconnect();
    this.controls.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }

  setTheme(theme: Theme) {
    this.theme = theme;
    if (this.play) this.show(this.play, true);
  }

  setMesh(bytes: ArrayBuffer) {
    this.mesh = readMesh(bytes);
    if (this.play) this.show(this.play);
  }

  /** Put a play on the stage. The camera stays where the person put it, unless another play or side begins. */
  show(play: Play, same = false) {
    const key = (p: Play | null) =>
      p ? `${p.kind === 'part' ? 'part' : 'work'}${p.kind === 'part' ? '' : p.side.name}` : '';
    const fresh = key(play) !== key(this.play);
    const keepField =
      play.kind === 'cut' && this.play?.kind === 'cut' && play.history === this.play.history ? this.field : null;
    this.play = play;
    this.clear(this.world);
    this.tools.clear();
    this.part = null;
    this.field = keepField;
    this.bounds = new THREE.Box3();
    if (play.kind === 'part') this.showPart(play);
    else if (play.kind === 'hold') this.showHold(play);
    else this.showCut(play);
    if ((fresh && !same) || !this.touched) {
      if (fresh) this.touched = false;
      this.look(this.from);
    }
    this.ask();
  }

  private color(hex: string) {
    return new THREE.Color(hex);
  }

  private clear(g: THREE.Group) {
    g.traverse((o) => {
      if (
        (o instanceof THREE.Mesh || o instanceof THREE.LineSegments || o instanceof THREE.Line) &&
        o.geometry !== this.field?.geometry &&
        o.geometry !== this.mesh?.geometry &&
        o.geometry !== this.mesh?.edges &&
        o.geometry !== this.ghost?.geometry &&
        o.geometry !== this.ghost?.edges
      )
        o.geometry.dispose();
    });
    g.clear();
  }

  private addPart(faces: Map<number, THREE.Color>, base: string, parent: THREE.Object3D, ghost = false) {
    if (!this.mesh) return;
    paint(this.mesh, this.color(base), faces);
    const m = new THREE.MeshLambertMaterial({
      vertexColors: true,
      flatShading: true,
      polygonOffset: true,
      polygonOffsetFactor: 1,
      polygonOffsetUnits: 1,
      transparent: ghost,
      opacity: ghost ? 0.5 : 1,
    });
    this.part = new THREE.Mesh(this.mesh.geometry, m);
    const ink = new THREE.LineBasicMaterial({ color: this.theme.ink });
    const lines = new THREE.LineSegments(this.mesh.edges, ink);
    parent.add(this.part, lines);
    if (this.cut && this.play?.kind === 'part') {
      m.clippingPlanes = [this.knife];
      ink.clippingPlanes = [this.knife];
      // What is seen of the inside through the cut is material: flat brass, as a drawing hatches it.
      const inside = new THREE.MeshBasicMaterial({
        color: this.theme.brass,
        side: THREE.BackSide,
        clippingPlanes: [this.knife],
      });
      parent.add(new THREE.Mesh(this.mesh.geometry, inside));
    }
  }

  private wire(p: Place, color: string, dashed = false): THREE.LineSegments {
    const b = box(p);
    const s = b.getSize(new THREE.Vector3());
    const g = new THREE.EdgesGeometry(new THREE.BoxGeometry(s.x, s.y, s.z));
    g.translate(...b.getCenter(new THREE.Vector3()).toArray());
    const m = dashed
      ? new THREE.LineDashedMaterial({ color, dashSize: 2, gapSize: 1.5 })
      : new THREE.LineBasicMaterial({ color });
    const l = new THREE.LineSegments(g, m);
    if (dashed) l.computeLineDistances();
    return l;
  }

  /** Sharp edges of a solid. */
  private edges(solid: THREE.BufferGeometry, color: string): THREE.LineSegments {
    return new THREE.LineSegments(new THREE.EdgesGeometry(solid, 20), new THREE.LineBasicMaterial({ color }));
  }

  /** Edges of a piece in part coordinates, dashed. */
  private pieceLines(p: PieceOnStage): THREE.LineSegments {
    const at = (u: number, v: number, w: number) =>
      p.along === 'z' ? new THREE.Vector3(u, v, w) : new THREE.Vector3(w, u, v);
    const points: THREE.Vector3[] = [];
    for (const loop of p.loops) {
      const every = Math.max(1, Math.floor(loop.length / 8));
      loop.forEach((a, k) => {
        const b = loop[(k + 1) % loop.length] ?? a;
        for (const w of [0, p.length]) points.push(at(a[0], a[1], w), at(b[0], b[1], w));
        if (k % every === 0) points.push(at(a[0], a[1], 0), at(a[0], a[1], p.length));
      });
    }
    const [a, b, c, x, d, e, f, y, g, h, i, z] = p.rows as number[] & { length: 16 };
    const back = new THREE.Matrix4()
      .set(a ?? 1, b ?? 0, c ?? 0, x ?? 0, d ?? 0, e ?? 1, f ?? 0, y ?? 0, g ?? 0, h ?? 0, i ?? 1, z ?? 0, 0, 0, 0, 1)
      .invert();
    points.forEach((q) => q.applyMatrix4(back));
    const l = new THREE.LineSegments(
      new THREE.BufferGeometry().setFromPoints(points),
      new THREE.LineDashedMaterial({ color: this.theme.edge, dashSize: 4, gapSize: 3 }),
    );
    l.computeLineDistances();
    return l;
  }

  private showPart(play: Extract<Play, { kind: 'part' }>) {
    const faces = new Map<number, THREE.Color>();
    play.paint?.forEach((c, f) => faces.set(f, this.color(c)));
    play.brass?.forEach((f) => faces.set(f, this.color(this.theme.brass)));
    play.blue?.forEach((f) => faces.set(f, this.color(this.theme.name === 'desk' ? '#5d8bd0' : '#5f95e6')));
    this.addPart(faces, this.theme.name === 'desk' ? '#c4cad3' : '#8b949f', this.world);
    if (this.mesh) {
      this.mesh.geometry.computeBoundingBox();
      this.bounds.copy(this.mesh.geometry.boundingBox ?? this.bounds);
    }
    if (this.ghost) {
      const tint = this.ghostIsBeside ? this.theme.brass : this.theme.red;
      const glass = new THREE.MeshBasicMaterial({
        color: tint,
        transparent: true,
        opacity: 0.22,
        depthWrite: false,
        side: THREE.DoubleSide,
      });
      const old = new THREE.LineSegments(this.ghost.edges, new THREE.LineBasicMaterial({ color: tint }));
      this.world.add(new THREE.Mesh(this.ghost.geometry, glass), old);
    }
    if (play.block) {
      const solid = stockSolid(play.block, play.ring ?? []);
      this.world.add(this.edges(solid, this.theme.brassInk));
      const b = box(play.block);
      const glass = new THREE.Mesh(
        solid,
        new THREE.MeshBasicMaterial({
          color: this.theme.brass,
          transparent: true,
          opacity: 0.12,
          depthWrite: false,
          side: THREE.DoubleSide,
        }),
      );
      this.world.add(glass);
      this.bounds.union(b);
    }
    if (play.piece) {
      const lines = this.pieceLines(play.piece);
      this.world.add(lines);
      lines.geometry.computeBoundingBox();
      if (lines.geometry.boundingBox) this.bounds.union(lines.geometry.boundingBox);
    }
  }

  /** A body that is no box: a prism for each height range, with the edges that an eye sees. */
  private layered(k: KeepOutSheet) {
    const m = new THREE.MeshLambertMaterial({ color: this.theme.jaw, polygonOffset: true, polygonOffsetFactor: 2 });
    const line = new THREE.LineBasicMaterial({ color: this.theme.edge });
    const all = new THREE.Group();
    for (const [z0, z1, loops] of k.layers) {
      for (const shape of shapesOf(loops)) {
        const g = new THREE.ExtrudeGeometry(shape, { depth: z1 - z0, bevelEnabled: false });
        g.translate(0, 0, z0);
        all.add(new THREE.Mesh(g, m));
      }
    }
    const points = stepLines(k.layers).map((p) => new THREE.Vector3(...p));
    all.add(new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints(points), line));
    // A slope is a prism that lies on its side.
    if (k.lies) all.applyMatrix4(new THREE.Matrix4().fromArray(k.lies).transpose());
    this.world.add(all);
  }

  private vise(side: SideSheet) {
    for (const k of side.keep_out) {
      const b = box(k.place);
      if (k.layers.length > 0) {
        this.layered(k);
        this.bounds.union(b);
        continue;
      }
      const s = b.getSize(new THREE.Vector3());
      const m = new THREE.MeshLambertMaterial({
        color: this.theme.jaw,
        transparent: true,
        opacity: k.in_front ? 0.22 : 0.9,
        depthWrite: !k.in_front,
        polygonOffset: true,
        polygonOffsetFactor: 2,
      });
      const jaw = new THREE.Mesh(new THREE.BoxGeometry(s.x, s.y, s.z), m);
      jaw.position.copy(b.getCenter(new THREE.Vector3()));
      this.world.add(jaw, this.wire(k.place, this.theme.edge));
      this.bounds.union(b);
    }
    // Where the zero is: a cross of marking-out blue, the up arm longer.
    const arm = 9;
    const cross = new THREE.BufferGeometry().setFromPoints(
      [
        [-3, 0, 0, arm, 0, 0],
        [0, -arm, 0, 0, 3, 0],
        [0, 0, -2, 0, 0, arm * 1.6],
      ].flatMap((l) => [new THREE.Vector3(l[0], l[1], l[2]), new THREE.Vector3(l[3], l[4], l[5])]),
    );
    const lines = new THREE.LineSegments(
      cross,
      new THREE.LineBasicMaterial({ color: this.theme.blue, depthTest: false }),
    );
    lines.renderOrder = 5;
    this.world.add(lines);
  }

  private toWork(side: SideSheet) {
    const rows = side.part_from_work;
    const n = (k: number) => rows[k] ?? 0;
    const m = new THREE.Matrix4().set(
      n(0),
      n(1),
      n(2),
      n(3),
      n(4),
      n(5),
      n(6),
      n(7),
      n(8),
      n(9),
      n(10),
      n(11),
      0,
      0,
      0,
      1,
    );
    return m.invert();
  }

  private showHold(play: Extract<Play, { kind: 'hold' }>) {
    const inPart = new THREE.Group();
    inPart.applyMatrix4(this.toWork(play.side));
    this.addPart(new Map(), this.theme.name === 'desk' ? '#c4cad3' : '#8b949f', inPart);
    const solid = stockSolid(play.block, play.ring ?? []);
    const block = this.edges(solid, this.theme.brassInk);
    const b = box(play.block);
    const glass = new THREE.Mesh(
      solid,
      new THREE.MeshBasicMaterial({ color: this.theme.brass, transparent: true, opacity: 0.16, depthWrite: false }),
    );
    inPart.add(block, glass);
    this.world.add(inPart);
    this.bounds.union(b.clone().applyMatrix4(this.toWork(play.side)));
    this.vise(play.side);
  }

  private showCut(play: Extract<Play, { kind: 'cut' }>) {
    const field = this.field ?? new Field(play.history);
    this.field = field;
    field.paint(
      this.color(this.theme.name === 'desk' ? '#b9c0ca' : '#7d8690'),
      this.color(this.theme.name === 'desk' ? '#e3bd62' : '#c79a3e'),
    );
    const m = new THREE.MeshLambertMaterial({ vertexColors: true, flatShading: true, side: THREE.DoubleSide });
    const stock = new THREE.Mesh(field.geometry, m);
    stock.frustumCulled = false;
    this.world.add(stock);
    const h = play.history;
    const top = h.start.reduce((a, b) => Math.max(a, b), 0);
    this.bounds.set(
      new THREE.Vector3(h.x0, h.y0, 0),
      new THREE.Vector3(h.x0 + h.nx * h.pitch, h.y0 + h.ny * h.pitch, top),
    );
    this.vise(play.side);
    this.bounds.set(
      new THREE.Vector3(h.x0 - 8, h.y0 - 8, 0),
      new THREE.Vector3(h.x0 + h.nx * h.pitch + 8, h.y0 + h.ny * h.pitch + 8, top + 24),
    );
    const flutes = new THREE.MeshLambertMaterial({ color: this.theme.name === 'desk' ? '#6d7683' : '#aeb6c0' });
    const body = new THREE.MeshLambertMaterial({
      color: this.theme.name === 'desk' ? '#9aa1ab' : '#6b737d',
      transparent: true,
      opacity: 0.55,
      depthWrite: false,
    });
    for (const t of play.side.tools) this.tools.set(t.number, this.tool(t, flutes, body));
    if (play.lines) {
      const p = pathOf(play.strip, play.lines);
      this.lines(p.feed, this.theme.blue, false);
      // What comes from the cutter change high above would only lead the eye away.
      this.lines(
        p.rapid.map((r) => r.filter((q) => q.z < top + 20)),
        this.theme.quiet,
        true,
      );
    }
    this.seek(this.seconds);
  }

  private tool(t: Tool, flutes: THREE.Material, body: THREE.Material) {
    const g = cutter(t, flutes, body);
    g.visible = false;
    this.world.add(g);
    return g;
  }

  private lines(runs: Point[][], color: string, dashed: boolean) {
    const points = runs.flatMap((r) =>
      r
        .slice(1)
        .flatMap((p, k) => [r[k] ?? p, p])
        .map((p) => new THREE.Vector3(p.x, p.y, p.z + 0.05)),
    );
    const g = new THREE.BufferGeometry().setFromPoints(points);
    const m = dashed
      ? new THREE.LineDashedMaterial({ color, dashSize: 1.5, gapSize: 2, transparent: true, opacity: 0.35 })
      : new THREE.LineBasicMaterial({ color });
    const l = new THREE.LineSegments(g, m);
    if (dashed) l.computeLineDistances();
    this.world.add(l);
  }

  /** Go to a moment of the setup on the stage. */
  seek(seconds: number) {
    this.seconds = seconds;
    if (this.play?.kind !== 'cut' || !this.field) return;
    const { strip } = this.play;
    this.field.seek(seconds);
    const k = strip.end.findIndex((e) => e >= seconds);
    const number = strip.tool[k < 0 ? strip.tool.length - 1 : k] ?? 0;
    const p = placeAt(strip, seconds);
    this.tools.forEach((g, n) => {
      g.visible = n === number;
      g.position.set(p.x, p.y, p.z);
    });
    this.ask();
  }

  /** Boxes around places of findings, part coordinates. */
  mark(places: readonly Place[]) {
    this.clear(this.marks);
    if (this.play && this.play.kind !== 'part') this.marks.matrix.copy(this.toWork(this.play.side));
    else this.marks.matrix.identity();
    this.marks.matrixAutoUpdate = false;
    for (const p of places.slice(0, 200)) {
      const grown: Place = {
        min_mm: p.min_mm.map((v) => v - 0.4) as Place['min_mm'],
        max_mm: p.max_mm.map((v) => v + 0.4) as Place['max_mm'],
      };
      const l = this.wire(grown, this.theme.red);
      (l.material as THREE.Material).depthTest = false;
      l.renderOrder = 10;
      this.marks.add(l);
    }
    this.ask();
  }

  /** Another part as a ghost over this one: the revision before, or the solids that it must fit. */
  over(bytes: ArrayBuffer | null, beside = false) {
    this.ghost = bytes ? readMesh(bytes) : null;
    this.ghostIsBeside = beside;
    if (this.play?.kind === 'part') this.show(this.play, true);
    this.ask();
  }

  /** Cut the part open square to an axis; null closes it. */
  section(cut: { axis: 0 | 1 | 2; at: number } | null) {
    const was = this.cut !== null;
    this.cut = cut;
    if (cut) {
      const n = new THREE.Vector3();
      // What is kept lies behind the knife, away from the eye of the usual corner.
      n.setComponent(cut.axis, cut.axis === 1 ? 1 : -1);
      this.knife.set(n, cut.axis === 1 ? -cut.at : cut.at);
    }
    if (was !== (cut !== null) && this.play?.kind === 'part') this.show(this.play, true);
    this.ask();
  }

  /** A line between two picked points. */
  ruler(a: [number, number, number] | null, b: [number, number, number] | null) {
    this.clear(this.measure);
    const points = [a, b].filter((p) => p !== null).map((p) => new THREE.Vector3(...p));
    if (points.length === 2) {
      const l = new THREE.Line(
        new THREE.BufferGeometry().setFromPoints(points),
        new THREE.LineBasicMaterial({ color: this.theme.blue, depthTest: false }),
      );
      l.renderOrder = 11;
      this.measure.add(l);
    }
    const r = this.bounds.getSize(new THREE.Vector3()).length() / 130;
    for (const p of points) {
      const dot = new THREE.Mesh(
        new THREE.SphereGeometry(r, 10, 8),
        new THREE.MeshBasicMaterial({ color: this.theme.blue, depthTest: false }),
      );
      dot.position.copy(p);
      dot.renderOrder = 11;
      this.measure.add(dot);
    }
    this.ask();
  }

  /** Lengths with their numbers, over everything else. */
  dims(list: readonly Dim[]) {
    this.lengths.traverse((o) => {
      if (o instanceof THREE.Sprite) {
        o.material.map?.dispose();
        o.material.dispose();
      }
    });
    this.clear(this.lengths);
    this.host.dataset.dims = list.map((d) => d.words).join('; ');
    const ink = new THREE.LineBasicMaterial({ color: this.theme.blue, depthTest: false });
    for (const d of list) {
      const [a, b] = [new THREE.Vector3(...d.from), new THREE.Vector3(...d.to)];
      const line = new THREE.LineSegments(new THREE.BufferGeometry().setFromPoints([a, b]), ink);
      line.renderOrder = 12;
      this.lengths.add(line);
      const words = this.label(d.words);
      words.position.copy(a).lerp(b, 0.5);
      this.lengths.add(words);
    }
    this.ask();
  }

  /** A small paper label that keeps its size on the screen. */
  private label(words: string) {
    const px = 2;
    const canvas = document.createElement('canvas');
    const c = canvas.getContext('2d');
    const font = `600 ${String(13 * px)}px ${getComputedStyle(this.host).fontFamily}`;
    if (c) c.font = font;
    const [w, h] = [Math.ceil((c?.measureText(words).width ?? 40) + 10 * px), 20 * px];
    [canvas.width, canvas.height] = [w, h];
    if (c) {
      c.fillStyle = this.theme.card;
      c.fillRect(0, 0, w, h);
      c.strokeStyle = this.theme.blue;
      c.lineWidth = px;
      c.strokeRect(px / 2, px / 2, w - px, h - px);
      c.font = font;
      c.fillStyle = this.theme.ink;
      c.textBaseline = 'middle';
      c.fillText(words, 5 * px, h / 2 + px / 2);
    }
    const map = new THREE.CanvasTexture(canvas);
    map.colorSpace = THREE.SRGBColorSpace;
    const s = new THREE.Sprite(new THREE.SpriteMaterial({ map, depthTest: false, sizeAttenuation: false }));
    // As high on the screen as 20 px of it, whatever the distance.
    const unit = (2 * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(this.host.clientHeight, 1);
    s.scale.set((w / px) * unit, (h / px) * unit, 1);
    s.center.set(-0.08, -0.15);
    s.renderOrder = 13;
    return s;
  }

  look(from: ViewFrom) {
    this.from = from;
    const c = this.bounds.getCenter(new THREE.Vector3());
    const size = this.bounds.getSize(new THREE.Vector3());
    const r = Math.max(size.length() / 2, 1);
    const v = Math.tan((this.camera.fov * Math.PI) / 360);
    let d = (r / v) * Math.max(1, 1 / this.camera.aspect);
    const dir = {
      corner: new THREE.Vector3(0.55, -0.95, 0.78),
      top: new THREE.Vector3(0, -0.001, 1),
      front: new THREE.Vector3(0, -1, 0.12),
    }[from];
    dir.normalize();
    // Closer or farther until the box fills most of the picture.
    for (let k = 0; k < 6; k += 1) {
      this.camera.position.copy(c).addScaledVector(dir, d);
      this.camera.near = d / 50;
      this.camera.far = d * 10;
      this.camera.lookAt(c);
      this.camera.updateProjectionMatrix();
      this.camera.updateMatrixWorld(true);
      let most = 0;
      for (let i = 0; i < 8; i += 1) {
        const { min, max } = this.bounds;
        const p = new THREE.Vector3(i & 1 ? max.x : min.x, i & 2 ? max.y : min.y, i & 4 ? max.z : min.z).project(
          this.camera,
        );
        most = Math.max(most, Math.abs(p.x), Math.abs(p.y) + this.low);
      }
      d *= 1 + (most / 0.94 - 1) * 0.9;
    }
    this.controls.target.copy(c);
    this.controls.update();
    this.ask();
  }

  private size() {
    const { clientWidth: w, clientHeight: h } = this.host;
    if (w === 0 || h === 0) return;
    this.renderer.setSize(w, h, true);
    this.camera.aspect = w / h;
    // The picture stands a little low: words stand above it.
    const down = Math.min(24, h / 14);
    this.low = (2 * down) / h;
    this.camera.setViewOffset(w, h, 0, -down, w, h);
    this.camera.updateProjectionMatrix();
    if (!this.touched && this.play) this.look(this.from);
    this.ask();
  }

  private ask() {
    this.host.dataset.ready = 'false';
    if (this.pending) return;
    this.pending = requestAnimationFrame(() => {
      this.pending = 0;
      this.renderer.render(this.scene, this.camera);
      this.host.dataset.ready = 'true';
      this.host.dataset.seconds = this.seconds.toFixed(2);
    });
  }

  private hit(e: MouseEvent): Picked | null {
    if (!this.part || !this.mesh || this.play?.kind !== 'part') return null;
    const r = this.renderer.domElement.getBoundingClientRect();
    const p = new THREE.Vector2(((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2);
    const ray = new THREE.Raycaster();
    ray.setFromCamera(p, this.camera);
    const kept = (q: THREE.Vector3) => !this.cut || this.knife.distanceToPoint(q) >= 0;
    const h = ray.intersectObject(this.part, false).find((x) => kept(x.point));
    if (!h || h.faceIndex === undefined || h.faceIndex === null) return null;
    return { face: this.mesh.face[h.faceIndex] ?? 0, point: h.point.toArray() as [number, number, number] };
  }

  private hovered = 0;
  private hover(e: PointerEvent) {
    if (!this.onHover || e.buttons !== 0) return;
    const now = performance.now();
    if (now - this.hovered < 30) return;
    this.hovered = now;
    this.onHover(this.hit(e)?.face ?? null);
  }
}
