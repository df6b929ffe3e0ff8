//! A triangle mesh: corners welded, bodies told apart, all triangles the same way round.

use super::{SMOOTH_TURN, Soup};
use geom::DVec3;
use std::collections::HashMap;

/// Welded triangles.
pub(super) struct Mesh {
    pub(super) points: Vec<DVec3>,
    pub(super) triangles: Vec<[u32; 3]>,
    /// Triangles without area that were left out.
    pub(super) dropped: usize,
}

impl Mesh {
    /// Triangles that are bent sharply against their neighbours along most of their border: each is at least half a face of its own. One pass over
    /// sorted edges, so that a scan of a million triangles is known as one at once.
    pub(super) fn alone(&self) -> usize {
        let mut sides: Vec<([u32; 2], u32)> = Vec::with_capacity(3 * self.triangles.len());
        for (t, tri) in self.triangles.iter().enumerate() {
            sides.extend(edges(tri).map(|e| (key(e), t as u32)));
        }
        sides.sort_unstable();
        let normals: Vec<DVec3> = (0..self.triangles.len()).map(|t| self.normal(t).normalize_or_zero()).collect();
        let least = SMOOTH_TURN.cos();
        let mut sharp = vec![0.0_f64; self.triangles.len()];
        for pair in sides.windows(2) {
            let ([a, b], t, o) = (pair[0].0, pair[0].1 as usize, pair[1].1 as usize);
            // A file may turn a triangle round: its sign says nothing.
            if pair[0].0 == pair[1].0 && normals[t].dot(normals[o]).abs() < least {
                let length = self.points[a as usize].distance(self.points[b as usize]);
                sharp[t] += length;
                sharp[o] += length;
            }
        }
        let around = |t: &[u32; 3]| {
            let length = |e: [u32; 2]| self.points[e[0] as usize].distance(self.points[e[1] as usize]);
            edges(t).map(length).iter().sum::<f64>()
        };
        self.triangles.iter().zip(&sharp).filter(|(t, s)| **s > 0.5 * around(t)).count()
    }

    pub(super) fn weld(soup: &Soup, origin: DVec3, cell: f64) -> Mesh {
        let mut known: HashMap<[i64; 3], u32> = HashMap::new();
        let mut points: Vec<DVec3> = Vec::new();
        let mut number = |p: DVec3| {
            let q = (p - origin) / cell;
            let base = [q.x.floor() as i64, q.y.floor() as i64, q.z.floor() as i64];
            // The neighbours too: two roundings of one corner may lie on both sides of a cell's border.
            for dx in -1..=1 {
                for dy in -1..=1 {
                    for dz in -1..=1 {
                        if let Some(&k) = known.get(&[base[0] + dx, base[1] + dy, base[2] + dz])
                            && points[k as usize].distance(p) <= cell
                        {
                            return k;
                        }
                    }
                }
            }
            points.push(p);
            known.insert(base, points.len() as u32 - 1);
            points.len() as u32 - 1
        };
        let mut triangles = Vec::new();
        let mut dropped = 0;
        for t in soup {
            let n = t.map(|c| number(DVec3::from_array(c)));
            if n[0] == n[1] || n[1] == n[2] || n[2] == n[0] {
                dropped += 1;
            } else {
                triangles.push(n);
            }
        }
        Mesh { points, triangles, dropped }
    }

    /// Parts that hang together by shared edges.
    pub(super) fn bodies(self) -> Vec<Mesh> {
        let mut of_edge: HashMap<[u32; 2], usize> = HashMap::new();
        let mut group: Vec<usize> = (0..self.triangles.len()).collect();
        for (t, tri) in self.triangles.iter().enumerate() {
            for e in edges(tri) {
                match of_edge.get(&key(e)) {
                    Some(&o) => join(&mut group, o, t),
                    None => drop(of_edge.insert(key(e), t)),
                }
            }
        }
        let mut slots: HashMap<usize, usize> = HashMap::new();
        let mut out: Vec<Mesh> = Vec::new();
        for t in 0..self.triangles.len() {
            let root = find(&mut group, t);
            let slot = *slots.entry(root).or_insert_with(|| {
                out.push(Mesh { points: Vec::new(), triangles: Vec::new(), dropped: 0 });
                out.len() - 1
            });
            out[slot].triangles.push(self.triangles[t]);
        }
        for body in &mut out {
            let mut number: HashMap<u32, u32> = HashMap::new();
            for c in body.triangles.iter_mut().flatten() {
                let n = number.len() as u32;
                let k = *number.entry(*c).or_insert(n);
                if k == n {
                    body.points.push(self.points[*c as usize]);
                }
                *c = k;
            }
        }
        out
    }

    pub(super) fn corners(&self, t: usize) -> [DVec3; 3] {
        self.triangles[t].map(|k| self.points[k as usize])
    }

    pub(super) fn normal(&self, t: usize) -> DVec3 {
        let [a, b, c] = self.corners(t);
        (b - a).cross(c - a)
    }

    pub(super) fn volume(&self) -> f64 {
        (0..self.triangles.len()).map(|t| self.corners(t)).map(|[a, b, c]| a.dot(b.cross(c)) / 6.0).sum()
    }

    /// All triangles the same way round, outward. True if any was turned.
    pub(super) fn orient(&mut self) -> bool {
        let mut at: HashMap<[u32; 2], Vec<usize>> = HashMap::new();
        for (t, tri) in self.triangles.iter().enumerate() {
            for e in edges(tri) {
                at.entry(key(e)).or_default().push(t);
            }
        }
        let mut turned = false;
        let mut seen = vec![false; self.triangles.len()];
        for start in 0..seen.len() {
            if seen[start] {
                continue;
            }
            seen[start] = true;
            let mut todo = vec![start];
            while let Some(t) = todo.pop() {
                for e in edges(&self.triangles[t]) {
                    let [a, b] = at[&key(e)][..] else { continue };
                    let o = if a == t { b } else { a };
                    if seen[o] {
                        continue;
                    }
                    if edges(&self.triangles[o]).contains(&e) {
                        self.triangles[o].swap(1, 2);
                        turned = true;
                    }
                    seen[o] = true;
                    todo.push(o);
                }
            }
        }
        if self.volume() < 0.0 {
            self.triangles.iter_mut().for_each(|t| t.swap(1, 2));
            turned = true;
        }
        turned
    }
}

pub(super) fn edges(t: &[u32; 3]) -> [[u32; 2]; 3] {
    [[t[0], t[1]], [t[1], t[2]], [t[2], t[0]]]
}

pub(super) fn key(e: [u32; 2]) -> [u32; 2] {
    [e[0].min(e[1]), e[0].max(e[1])]
}

fn find(group: &mut [usize], mut a: usize) -> usize {
    while group[a] != a {
        group[a] = group[group[a]];
        a = group[a];
    }
    a
}

fn join(group: &mut [usize], a: usize, b: usize) {
    let (a, b) = (find(group, a), find(group, b));
    group[a.max(b)] = a.min(b);
}
