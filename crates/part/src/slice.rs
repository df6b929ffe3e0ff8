//! A section of the part, square to an axis, with the thickness of its walls.
//!
//! From places along the outline a ray goes straight into the material to the outline opposite. Where the two run nearly parallel there
//! is a wall; places that follow one another on the outline are one wall, told where it is thinnest, or at its middle where it is even.

use crate::Part;
use geom::{DVec2, DVec3, Region, TriMesh};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Outlines closer to parallel than this make a wall between them (opposite normals), cosine: 15°.
const OPPOSITE: f64 = 0.966;
/// Places along the whole outline, at least.
const PLACES: usize = 1200;
/// As many walls are told.
const TOLD: usize = 8;

/// Where somebody cuts a part open.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Cut {
    /// 0 for X, 1 for Y, 2 for Z.
    pub axis: usize,
    /// Along it, part coordinates, mm.
    pub at: f64,
}

/// A wall in a section.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Wall {
    /// mm.
    pub thickness: f64,
    /// On one of its sides, part coordinates, mm.
    pub from: [f64; 3],
    /// On the other.
    pub to: [f64; 3],
    /// Length of the outline over which it is a wall, mm.
    pub length: f64,
    /// It is as thick all along that length (within 0.2 % and 0.002 mm), which is at least twice its thickness; otherwise this is its thinnest place.
    pub even: bool,
}

/// A section.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Slice {
    /// Where.
    pub cut: Cut,
    /// Of the material cut, mm².
    pub area: f64,
    /// Its outline, holes turning the other way, part coordinates, mm.
    pub outline: Vec<Vec<[f64; 3]>>,
    /// The thinnest walls first.
    pub walls: Vec<Wall>,
    /// Each thickness is within this, mm: twice the distance between triangles and surface.
    pub within: f64,
}

/// Cut a part open. Outside the part the section is empty.
pub fn slice(part: &Part, cut: Cut) -> Slice {
    let k = cut.axis.min(2);
    let (u, v) = ((k + 1) % 3, (k + 2) % 3);
    let seen = TriMesh {
        points: part.mesh.points.iter().map(|p| DVec3::new(p[u], p[v], p[k])).collect(),
        triangles: part.mesh.triangles.clone(),
        face: part.mesh.face.clone(),
    };
    let (lo, hi) = (part.bounds.min[k], part.bounds.max[k]);
    // On an end face there is no material on one side: a hair inside.
    let hair = 1e-4 * (hi - lo).min(1.0);
    let at = if (lo - hair..=hi + hair).contains(&cut.at) { cut.at.clamp(lo + hair, hi - hair) } else { cut.at };
    let region = seen.section(at);
    let put = |p: DVec2| {
        let mut q = [0.0; 3];
        (q[u], q[v], q[k]) = (p.x, p.y, cut.at);
        q
    };
    let loops = region.loops();
    let found = walls(&loops, &region);
    let told = |w: &Flat| Wall { thickness: w.t, from: put(w.from), to: put(w.to), length: w.length, even: w.even };
    Slice {
        cut,
        area: region.area(),
        outline: loops.iter().map(|l| l.iter().map(|p| put(*p)).collect()).collect(),
        walls: found.iter().map(told).collect(),
        within: 2.0 * part.chord_error,
    }
}

struct Flat {
    t: f64,
    from: DVec2,
    to: DVec2,
    length: f64,
    even: bool,
}

impl Flat {
    fn at(p: &Probe, length: f64, even: bool) -> Flat {
        let t = p.across.unwrap_or(0.0);
        Flat { t, from: p.at, to: p.at + p.inward * t, length, even }
    }
}

/// A place on the outline with what lies straight through the material from it.
struct Probe {
    at: DVec2,
    inward: DVec2,
    /// Length of outline that it stands for.
    share: f64,
    across: Option<f64>,
}

/// Distance from `p` along `d` to the first edge that is left there, if it looks the other way.
fn across(edges: &[(DVec2, DVec2)], p: DVec2, d: DVec2) -> Option<f64> {
    let mut best: Option<(f64, f64)> = None;
    for &(a, b) in edges {
        let e = b - a;
        // Material lies left of an edge: it is left where the ray passes to its right.
        let turn = d.perp_dot(e);
        if turn <= 1e-12 * e.length() {
            continue;
        }
        let (w, t) = (a - p, (a - p).perp_dot(e) / turn);
        let s = w.perp_dot(d) / turn;
        if t > 1e-4 && (-1e-9..=1.0 + 1e-9).contains(&s) && best.is_none_or(|b| t < b.0) {
            best = Some((t, turn / e.length()));
        }
    }
    best.filter(|b| b.1 > OPPOSITE).map(|b| b.0)
}

fn walls(loops: &[Vec<DVec2>], region: &Region) -> Vec<Flat> {
    let around = |l: &[DVec2]| (0..l.len()).map(|k| (l[k], l[(k + 1) % l.len()])).collect::<Vec<_>>();
    let edges: Vec<(DVec2, DVec2)> = loops.iter().flat_map(|l| around(l)).collect();
    let length: f64 = edges.iter().map(|(a, b)| a.distance(*b)).sum();
    let Some((lo, hi)) = region.bounds() else { return Vec::new() };
    let step = length / PLACES as f64;
    let mut all: Vec<Flat> = Vec::new();
    for l in loops {
        let mut probes: Vec<Probe> = Vec::new();
        for (a, b) in around(l) {
            let e = b - a;
            let n = (e.length() / step).ceil().max(1.0) as usize;
            let inward = e.perp().normalize_or_zero();
            for k in 0..n {
                let at = a + e * ((k as f64 + 0.5) / n as f64);
                probes.push(Probe { at, inward, share: e.length() / n as f64, across: across(&edges, at, inward) });
            }
        }
        all.extend(runs(&probes));
    }
    // Even walls stand for the places beside them.
    all.sort_by(|a, b| b.even.cmp(&a.even).then(a.t.total_cmp(&b.t)).then(b.length.total_cmp(&a.length)));
    let mut out: Vec<Flat> = Vec::new();
    for w in all {
        // The same wall from its other side, or another stretch of it hard by.
        let mid = (w.from + w.to) / 2.0;
        let same = |o: &Flat| {
            let near = (o.from + o.to) / 2.0;
            let reach = 0.5 * o.length.max(w.length) + 0.02 * lo.distance(hi);
            (w.t - o.t).abs() < 0.02 * o.t + 0.01 && mid.distance(near) < reach
        };
        // A straight wall that a hole or a rib parts is one wall.
        let goes_on = |o: &Flat| {
            let d = (o.to - o.from) / o.t;
            let near = (o.from + o.to) / 2.0;
            let parallel = (w.to - w.from).perp_dot(d).abs() < 1e-3 * w.t;
            o.even && w.even && (w.t - o.t).abs() < 1e-3 * o.t && parallel && (mid - near).dot(d).abs() < 0.02 * o.t
        };
        if w.length >= 0.25 * w.t && !out.iter().any(|o| same(o) || goes_on(o)) {
            out.push(w);
        }
    }
    out.sort_by(|a, b| a.t.total_cmp(&b.t));
    out.truncate(TOLD);
    out
}

/// Places that follow one another and are about as thick.
fn runs(probes: &[Probe]) -> Vec<Flat> {
    let n = probes.len();
    let goes_on = |k: usize| match (probes[k].across, probes[(k + 1) % n].across) {
        (Some(a), Some(b)) => (a - b).abs() < 0.03 * a.max(b) + 0.002,
        _ => false,
    };
    let mut out = Vec::new();
    // Start where a run begins; a ring that is one run all round starts anywhere.
    let first = (0..n).find(|&k| !goes_on((k + n - 1) % n)).unwrap_or(0);
    let mut k = 0;
    while k < n {
        let start = k;
        while k + 1 < n && goes_on((first + k) % n) {
            k += 1;
        }
        let run: Vec<&Probe> = (start..=k).map(|i| &probes[(first + i) % n]).collect();
        k += 1;
        let thick: Vec<f64> = run.iter().filter_map(|p| p.across).collect();
        if thick.len() < run.len() {
            continue;
        }
        // An even wall goes on into the rounds of its corners: each even stretch is a wall of its own.
        let least = thick.iter().copied().fold(f64::INFINITY, f64::min);
        let mut told = false;
        let mut from = 0;
        while from < run.len() {
            let (mut lo, mut hi, mut to) = (thick[from], thick[from], from + 1);
            while to < run.len() && hi.max(thick[to]) - lo.min(thick[to]) < 0.002 * lo + 0.002 {
                (lo, hi) = (lo.min(thick[to]), hi.max(thick[to]));
                to += 1;
            }
            let length: f64 = run[from..to].iter().map(|p| p.share).sum();
            if length >= 2.0 * lo {
                out.push(Flat::at(run[(from + to) / 2], length, true));
                told |= lo == least;
            }
            from = to;
        }
        if let Some(p) = run.iter().find(|p| p.across == Some(least)).filter(|_| !told) {
            out.push(Flat::at(p, run.iter().map(|p| p.share).sum(), false));
        }
    }
    out
}
