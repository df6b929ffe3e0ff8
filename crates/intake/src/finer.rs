//! Meshes as close to their surfaces as they say.
//!
//! The mesher does not always keep the distance that it is asked for, least of all on faces stored as splines. The distance is measured, and
//! where a face's exact surface is known (told by the file or recognised) its triangles are made finer: an edge whose middle is too far off is
//! split there, at the nearest point of the surface, or of the circle where it borders two faces. A middle moves along the surface's normal
//! only, so nothing folds; each split takes an edge's distance to a quarter. The farthest goes first.

use geom::DVec3;
use kernel::{EdgeKind, RawModel, RawSurface};
use std::collections::{BinaryHeap, HashMap};

/// Wanted distance, as a multiple of the chord that was asked for.
const WANTED: f64 = 2.0;
/// At most this many new vertices for a model: triangles cost time everywhere.
const MOST: usize = 30_000;

/// The nearest point of a surface; none for planes and free forms.
fn nearest(s: &RawSurface, p: DVec3) -> Option<DVec3> {
    let v = DVec3::from_array;
    let about = |origin: [f64; 3], axis: [f64; 3]| {
        let (o, a) = (v(origin), v(axis));
        let along = (p - o).dot(a);
        let out = (p - o) - a * along;
        let r = out.length();
        (r > 1e-9).then(|| (o, a, along, out / r, r))
    };
    match *s {
        RawSurface::Cylinder { origin, axis, radius } => {
            let (o, a, along, out, _) = about(origin, axis)?;
            Some(o + a * along + out * radius)
        }
        RawSurface::Cone { origin, axis, radius, half_angle } => {
            let (o, a, along, out, r) = about(origin, axis)?;
            let (sin, cos) = half_angle.sin_cos();
            // Distance from the line (radius + along·tan, along) in the half plane beside the axis.
            let off = (r - radius) * cos - along * sin;
            let (r, along) = (r - off * cos, along + off * sin);
            (r > 0.0).then(|| o + a * along + out * r)
        }
        RawSurface::Sphere { origin, radius } => {
            let d = (p - v(origin)).try_normalize()?;
            Some(v(origin) + d * radius)
        }
        RawSurface::Torus { origin, axis, major, minor } => {
            let (o, _, _, out, _) = about(origin, axis)?;
            let ring = o + out * major;
            Some(ring + (p - ring).try_normalize()? * minor)
        }
        RawSurface::Plane { .. } | RawSurface::Other => None,
    }
}

fn on_circle(centre: [f64; 3], axis: [f64; 3], radius: f64, p: DVec3) -> Option<DVec3> {
    let (c, a) = (DVec3::from_array(centre), DVec3::from_array(axis));
    let out = ((p - c) - a * (p - c).dot(a)).try_normalize()?;
    Some(c + out * radius)
}

type Key = (u32, u32);

fn key(a: u32, b: u32) -> Key {
    (a.min(b), a.max(b))
}

struct Finer<'a> {
    raw: &'a mut RawModel,
    face_of: Vec<u32>,
    at: HashMap<Key, Vec<u32>>,
    border: HashMap<Key, u32>,
    /// Vertices put into an edge, by the pair between which they lie.
    put: HashMap<Key, u32>,
    touched: Vec<bool>,
}

impl Finer<'_> {
    fn point(&self, k: u32) -> DVec3 {
        DVec3::from_array(self.raw.vertices[k as usize])
    }

    /// Where an edge's middle belongs, if it can be split.
    fn target(&self, e: Key) -> Option<DVec3> {
        let mid = (self.point(e.0) + self.point(e.1)) / 2.0;
        let tris = self.at.get(&e)?;
        let [s, t] = tris.as_slice() else { return None };
        let (f, g) = (self.face_of[*s as usize], self.face_of[*t as usize]);
        match self.border.get(&e) {
            None if f == g => nearest(&self.raw.faces[f as usize].surface, mid),
            None => None,
            Some(k) => match self.raw.edges[*k as usize].kind {
                EdgeKind::Circle { centre, axis, radius } => on_circle(centre, axis, radius, mid),
                _ => None,
            },
        }
    }

    fn split(&mut self, e: Key, at: DVec3) -> Vec<Key> {
        let m = self.raw.vertices.len() as u32;
        self.raw.vertices.push(at.to_array());
        let mut look = vec![key(e.0, m), key(m, e.1)];
        for t in self.at.remove(&e).unwrap_or_default() {
            let tri = self.raw.triangles[t as usize];
            let Some(k) = (0..3).find(|&k| key(tri[k], tri[(k + 1) % 3]) == e) else { continue };
            let (a, b, c) = (tri[k], tri[(k + 1) % 3], tri[(k + 2) % 3]);
            let new = self.raw.triangles.len() as u32;
            self.raw.triangles[t as usize] = [a, m, c];
            self.raw.triangles.push([m, b, c]);
            let face = self.face_of[t as usize];
            self.face_of.push(face);
            self.touched[face as usize] = true;
            self.at.entry(key(a, m)).or_default().push(t);
            self.at.entry(key(m, b)).or_default().push(new);
            self.at.entry(key(m, c)).or_default().extend([t, new]);
            if let Some(l) = self.at.get_mut(&key(b, c)).and_then(|l| l.iter_mut().find(|x| **x == t)) {
                *l = new;
            }
            look.extend([key(m, c), key(b, c), key(a, c)]);
        }
        if let Some(k) = self.border.remove(&e) {
            self.border.insert(key(e.0, m), k);
            self.border.insert(key(m, e.1), k);
            self.put.insert(e, m);
        }
        look
    }

    /// Lay the edge between two triangles of a face the other way where that is at most half as far off: along a cylinder's rulings
    /// edges lie on it.
    fn flip(&mut self, e: Key, off: f64) -> Option<Vec<Key>> {
        let &[s, t] = self.at.get(&e)?.as_slice() else { return None };
        let face = self.face_of[s as usize];
        if self.border.contains_key(&e) || self.face_of[t as usize] != face {
            return None;
        }
        let turned = |t: u32| {
            let tri = self.raw.triangles[t as usize];
            let k = (0..3).find(|&k| key(tri[k], tri[(k + 1) % 3]) == e)?;
            Some([tri[k], tri[(k + 1) % 3], tri[(k + 2) % 3]])
        };
        // (a, b, c) and (b, a, d) become (c, d, b) and (d, c, a).
        let ([a, b, c], [.., d]) = (turned(s)?, turned(t)?);
        if c == d || self.at.contains_key(&key(c, d)) {
            return None;
        }
        let p = [a, b, c, d].map(|k| self.point(k));
        let mid = (p[2] + p[3]) / 2.0;
        if nearest(&self.raw.faces[face as usize].surface, mid)?.distance(mid) > 0.5 * off {
            return None;
        }
        let normal = |i: usize, j: usize, k: usize| (p[j] - p[i]).cross(p[k] - p[i]);
        let old = normal(0, 1, 2) + normal(1, 0, 3);
        let least = 0.02 * old.length();
        let new = [normal(2, 3, 1), normal(3, 2, 0)];
        if new.iter().any(|n| n.dot(old) < least * old.length()) {
            return None;
        }
        self.at.remove(&e);
        self.at.insert(key(c, d), vec![s, t]);
        self.raw.triangles[s as usize] = [c, d, b];
        self.raw.triangles[t as usize] = [d, c, a];
        for (edge, from, to) in [(key(c, a), s, t), (key(b, d), t, s)] {
            if let Some(l) = self.at.get_mut(&edge).and_then(|l| l.iter_mut().find(|x| **x == from)) {
                *l = to;
            }
        }
        self.touched[face as usize] = true;
        Some(vec![key(c, d)])
    }

    /// The borders' points with what was put between them.
    fn follow(&mut self) {
        if self.put.is_empty() {
            return;
        }
        for e in &mut self.raw.edges {
            let mut out: Vec<u32> = Vec::with_capacity(e.points.len());
            let mut rest: Vec<u32> = e.points.iter().rev().copied().collect();
            while let Some(p) = rest.pop() {
                if let Some(last) = out.last()
                    && let Some(m) = self.put.get(&key(*last, p))
                {
                    rest.extend([p, *m]);
                    continue;
                }
                out.push(p);
            }
            e.points = out;
        }
    }

    /// Triangles face by face again.
    fn regroup(&mut self) {
        let mut by: Vec<Vec<[u32; 3]>> = vec![Vec::new(); self.raw.faces.len()];
        for (t, f) in self.raw.triangles.iter().zip(&self.face_of) {
            by[*f as usize].push(*t);
        }
        self.raw.triangles.clear();
        for (f, tris) in self.raw.faces.iter_mut().zip(by) {
            f.first_triangle = self.raw.triangles.len() as u32;
            f.triangle_count = tris.len() as u32;
            self.raw.triangles.extend(tris);
        }
    }
}

/// Largest distance between a face's triangles and its exact surface, at their middles and those of their sides, mm.
fn sag(raw: &RawModel, k: usize) -> Option<f64> {
    let f = &raw.faces[k];
    let range = f.first_triangle as usize..(f.first_triangle + f.triangle_count) as usize;
    let mut worst: Option<f64> = None;
    for t in &raw.triangles[range] {
        let [a, b, c] = t.map(|i| DVec3::from_array(raw.vertices[i as usize]));
        for p in [(a + b) / 2.0, (b + c) / 2.0, (c + a) / 2.0, (a + b + c) / 3.0] {
            let off = nearest(&f.surface, p).map(|q| p.distance(q));
            worst = match (worst, off) {
                (Some(w), Some(o)) => Some(w.max(o)),
                (w, o) => w.or(o),
            };
        }
    }
    worst
}

/// Make finer what can be made so, and let the model say the distance that was measured.
pub(crate) fn measured(raw: &mut RawModel, chord: f64) {
    let recognised = raw.faces.iter().filter_map(|f| f.recognised).fold(0.0, f64::max);
    let known = |s: &RawSurface| !matches!(s, RawSurface::Plane { .. } | RawSurface::Other);
    let coarse = |f: &kernel::RawFace| known(&f.surface) && f.sag.is_none_or(|s| s > WANTED * chord);
    if raw.faces.iter().any(coarse) {
        let mut face_of = vec![0; raw.triangles.len()];
        for (k, f) in raw.faces.iter().enumerate() {
            face_of[f.first_triangle as usize..(f.first_triangle + f.triangle_count) as usize].fill(k as u32);
        }
        let mut at: HashMap<Key, Vec<u32>> = HashMap::with_capacity(raw.triangles.len() * 3 / 2);
        for (k, t) in raw.triangles.iter().enumerate() {
            (0..3).for_each(|i| at.entry(key(t[i], t[(i + 1) % 3])).or_default().push(k as u32));
        }
        let mut border = HashMap::new();
        for (k, e) in raw.edges.iter().enumerate() {
            border.extend(e.points.windows(2).map(|w| (key(w[0], w[1]), k as u32)));
        }
        let touched = vec![false; raw.faces.len()];
        let mut f = Finer { raw, face_of, at, border, put: HashMap::new(), touched };
        // In an order of its own, so that every machine gets the same mesh.
        let far = |f: &Finer, e: Key| {
            let mid = (f.point(e.0) + f.point(e.1)) / 2.0;
            let to = f.target(e)?;
            let off = to.distance(mid);
            // Distances of this size are ordered like their bits.
            (off > WANTED * chord).then_some((off.to_bits(), to))
        };
        let mut queue: BinaryHeap<(u64, Key)> = f.at.keys().filter_map(|e| Some((far(&f, *e)?.0, *e))).collect();
        let mut new = 0;
        while let Some((bits, e)) = queue.pop()
            && new < MOST
        {
            // What was looked at earlier may have changed since.
            let Some((now, to)) = far(&f, e).filter(|(now, _)| *now == bits) else { continue };
            let look = match f.flip(e, f64::from_bits(now)) {
                Some(look) => look,
                None => {
                    new += 1;
                    f.split(e, to)
                }
            };
            queue.extend(look.into_iter().filter_map(|e| Some((far(&f, e)?.0, e))));
        }
        f.follow();
        f.regroup();
        let touched = std::mem::take(&mut f.touched);
        for k in (0..raw.faces.len()).filter(|&k| touched[k]) {
            raw.faces[k].sag = sag(raw, k).or(raw.faces[k].sag);
        }
    }
    let all: Option<Vec<f64>> = raw.faces.iter().map(|f| f.sag).collect();
    if let Some(all) = all {
        raw.chord_error = all.into_iter().fold(chord, f64::max) + recognised;
    }
}
