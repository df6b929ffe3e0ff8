//! Holes: hollow round faces about one axis, from the mouth down, as one feature.
//!
//! Drill points: a twist drill of 118° leaves a cone 0.300 D long, 130° 0.233 D, 135° 0.207 D, 140° 0.182 D (tan of the half angle).

use super::{Axis, Draft, Ending, FeatureKind, Shop, count, degrees, hard, mm, number};
use crate::{Bend, Surface};
use geom::DVec3;
use reason::len;
use std::f64::consts::{PI, TAU};

/// Share of the full turn from which a round hollow is a hole and not a rounded corner.
const FULL: f64 = 0.93;
/// Share from which it is a hole that breaks out sideways.
const MOST: f64 = 0.55;

/// Hollow round faces of one radius about one axis.
#[derive(Debug, Clone)]
pub struct Piece {
    pub faces: Vec<u32>,
    /// Radius at the lower and the upper end.
    pub r: [f64; 2],
    /// Along the axis.
    pub s: [f64; 2],
    /// Cylinder, cone, ring or ball.
    pub shape: PieceShape,
    /// Share of the full turn that it covers.
    pub cover: f64,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PieceShape {
    Cylinder,
    Cone,
    Ring,
    Ball,
}

/// A hole's line: for crossings.
#[derive(Debug, Clone)]
pub struct Line {
    pub origin: DVec3,
    pub axis: DVec3,
    /// From the mouth (s0) along the axis.
    pub s: [f64; 2],
    pub r: f64,
    /// Index of its draft.
    pub faces: Vec<u32>,
}

/// A hole.
pub struct Stack {
    pub draft: Draft,
    pub line: Line,
}

/// An axis with its origin next to the frame's origin and a direction of settled sense.
pub fn line_of(origin: DVec3, axis: DVec3) -> (DVec3, DVec3) {
    // The largest component looks up; of equal ones the first, whatever the rounding.
    let k = (1..3).fold(0, |k, j| if axis[j].abs() > axis[k].abs() + 1e-6 { j } else { k });
    let a = if axis[k] < 0.0 { -axis } else { axis };
    (origin - a * origin.dot(a), a)
}

pub fn same_line(a: &(DVec3, DVec3), b: &(DVec3, DVec3), same: f64) -> bool {
    a.1.dot(b.1) > 1.0 - 1e-7 && (a.0 - b.0).cross(a.1).length() < same
}

/// Share of the full turn that faces cover about a line.
pub fn covered(shop: &Shop, faces: &[u32], line: &(DVec3, DVec3)) -> f64 {
    const BINS: usize = 120;
    let e1 = line.1.any_orthonormal_vector();
    let e2 = line.1.cross(e1);
    let mut bins = [false; BINS];
    for &f in faces {
        for t in shop.part.faces[f as usize].triangles.clone() {
            let a = shop.part.mesh.corners(t).map(|p| (p - line.0).dot(e2).atan2((p - line.0).dot(e1)));
            let turn = |x: f64| (x + PI).rem_euclid(TAU) - PI;
            let (mut lo, mut hi): (f64, f64) = (0.0, 0.0);
            for v in &a[1..] {
                lo = lo.min(turn(v - a[0]));
                hi = hi.max(turn(v - a[0]));
            }
            let bin = |x: f64| x / TAU * BINS as f64;
            for b in bin(a[0] + lo).floor() as i64..=(bin(a[0] + hi) - 1e-9).floor() as i64 {
                bins[b.rem_euclid(BINS as i64) as usize] = true;
            }
        }
    }
    bins.iter().filter(|b| **b).count() as f64 / BINS as f64
}

/// From where to where a round face goes along its line. Where a flat cuts a whole cylinder askew the ends are those of the true ellipse: a
/// mesh falls short of them.
fn ends(shop: &Shop, face: u32, line: &(DVec3, DVec3)) -> (f64, f64) {
    let (mut s0, mut s1) = shop.span(&[face], line.1);
    let Surface::Cylinder { radius, .. } = *shop.surface(face) else { return (s0, s1) };
    if shop.part.faces[face as usize].turn < 6.0 {
        return (s0, s1);
    }
    let near = 0.02 * radius + 2.0 * shop.part.chord_error;
    for &e in &shop.at[face as usize] {
        let Surface::Plane { normal, offset } = *shop.surface(shop.part.edges[e].other(face)) else { continue };
        let c = normal.dot(line.1);
        if c.abs() < 0.05 || c.abs() > 1.0 - 1e-9 {
            continue;
        }
        let mid = (offset - normal.dot(line.0)) / c;
        let half = radius * (1.0 - c * c).sqrt() / c.abs();
        if (mid - half - s0).abs() < near {
            s0 = mid - half;
        }
        if (mid + half - s1).abs() < near {
            s1 = mid + half;
        }
    }
    (s0, s1)
}

/// Pieces of round faces, hollow or bulging, grouped by their line.
pub fn lines(shop: &Shop, hollow: bool) -> Vec<((DVec3, DVec3), Vec<Piece>)> {
    let mut out: Vec<((DVec3, DVec3), Vec<Piece>)> = Vec::new();
    for (k, f) in shop.part.faces.iter().enumerate() {
        let Some((o, a)) = f.surface.axis() else { continue };
        if f.surface.hollow() != hollow {
            continue;
        }
        let line = line_of(o, a);
        let slot = match out.iter().position(|l| same_line(&l.0, &line, shop.same)) {
            Some(i) => i,
            None => {
                out.push((line, Vec::new()));
                out.len() - 1
            }
        };
        let line = out[slot].0;
        let (s0, s1) = ends(shop, k as u32, &line);
        let along = |p: DVec3| p.dot(line.1);
        let (r, shape) = match f.surface {
            Surface::Cylinder { radius, .. } => ([radius; 2], PieceShape::Cylinder),
            Surface::Cone { origin, axis, radius, half_angle, .. } => {
                let sense = axis.dot(line.1).signum();
                let at = |s: f64| (radius + (s - along(origin)) * sense * half_angle.tan()).max(0.0);
                ([at(s0), at(s1)], PieceShape::Cone)
            }
            Surface::Torus { .. } => {
                // The radius at the ends, from the mesh.
                let at = |s: f64| {
                    shop.points(k as u32)
                        .filter(|p| (p.dot(line.1) - s).abs() < 1e-3)
                        .map(|p| (p - line.0).reject_from_normalized(line.1).length())
                        .fold(0.0, f64::max)
                };
                ([at(s0), at(s1)], PieceShape::Ring)
            }
            _ => continue,
        };
        let same = shop.same;
        let joins = |p: &Piece| {
            p.shape == shape
                && shape != PieceShape::Ring
                && (p.r[0] - r[0]).abs() < same.max(1e-3)
                && (p.r[1] - r[1]).abs() < same.max(1e-3)
                && s0 < p.s[1] + same
                && s1 > p.s[0] - same
        };
        match out[slot].1.iter_mut().find(|p| joins(p)) {
            Some(p) => {
                p.faces.push(k as u32);
                p.s = [p.s[0].min(s0), p.s[1].max(s1)];
            }
            None => out[slot].1.push(Piece { faces: vec![k as u32], r, s: [s0, s1], shape, cover: 0.0 }),
        }
    }
    for (line, pieces) in &mut out {
        for p in pieces.iter_mut() {
            p.cover = covered(shop, &p.faces, line);
        }
        pieces.sort_by(|a, b| (a.s[0] + a.s[1]).total_cmp(&(b.s[0] + b.s[1])).then(a.r[0].total_cmp(&b.r[0])));
    }
    out
}

/// All holes.
pub fn find(shop: &Shop) -> Vec<Stack> {
    let mut out = Vec::new();
    for (line, mut pieces) in lines(shop, true) {
        pieces.retain(|p| p.cover >= MOST);
        // A ball's end belongs to the cylinder that it closes.
        for (k, f) in shop.part.faces.iter().enumerate() {
            if let Surface::Sphere { origin, radius, hollow: true } = f.surface
                && (origin - line.0).cross(line.1).length() < shop.same
                && shop.at[k]
                    .iter()
                    .any(|&e| pieces.iter().any(|p| p.faces.contains(&shop.part.edges[e].other(k as u32))))
            {
                let (s0, s1) = shop.span(&[k as u32], line.1);
                let below = (s0 + s1) / 2.0 < origin.dot(line.1);
                let r = if below { [0.0, radius] } else { [radius, 0.0] };
                pieces.push(Piece { faces: vec![k as u32], r, s: [s0, s1], shape: PieceShape::Ball, cover: 1.0 });
            }
        }
        pieces.sort_by(|a, b| (a.s[0] + a.s[1]).total_cmp(&(b.s[0] + b.s[1])));
        let mut runs: Vec<Vec<Piece>> = Vec::new();
        for p in pieces {
            match runs.last_mut().filter(|r| joined(shop, &line, r, &p)) {
                Some(r) => r.push(p),
                None => runs.push(vec![p]),
            }
        }
        out.extend(runs.into_iter().filter_map(|r| stack(shop, line, r)));
    }
    // A stable order whatever the file's.
    out.sort_by(|a, b| {
        a.line.r.total_cmp(&b.line.r).then_with(|| {
            let (p, q) = (a.line.origin + a.line.axis * a.line.s[0], b.line.origin + b.line.axis * b.line.s[0]);
            p.x.total_cmp(&q.x).then(p.y.total_cmp(&q.y)).then(p.z.total_cmp(&q.z))
        })
    });
    out
}

/// Does a piece go on where a run ends: by a common edge, by a ring square to the axis, or through air alone?
fn joined(shop: &Shop, line: &(DVec3, DVec3), run: &[Piece], next: &Piece) -> bool {
    let around = |faces: &[u32]| -> Vec<u32> {
        faces.iter().flat_map(|&f| shop.at[f as usize].iter().map(move |&e| shop.part.edges[e].other(f))).collect()
    };
    let last = &run[run.len() - 1];
    let mine: Vec<u32> = run.iter().flat_map(|p| p.faces.iter().copied()).collect();
    let (a, b) = (around(&mine), around(&next.faces));
    if a.iter().any(|f| next.faces.contains(f)) {
        return true;
    }
    // A step between: a plane square to the axis, hollow at the edge to the wider piece.
    let ring = a.iter().any(|&f| {
        b.contains(&f)
            && shop.normal(f).is_some_and(|n| n.dot(line.1).abs() > 1.0 - 1e-6)
            && shop.at[f as usize].iter().any(|&e| {
                let e = &shop.part.edges[e];
                e.bend == Bend::Concave && (mine.contains(&e.other(f)) || next.faces.contains(&e.other(f)))
            })
    });
    if ring {
        return true;
    }
    // Air between two pieces of one radius: one drill makes both.
    let gap = next.s[0] - last.s[1];
    let alike = run.iter().any(|p| p.shape == PieceShape::Cylinder && (p.r[0] - next.r[0]).abs() < shop.same);
    if gap > 0.0 && alike && next.shape == PieceShape::Cylinder {
        let side = line.1.any_orthonormal_vector();
        let from = line.0 + line.1 * (last.s[1] + 0.01) + side * (0.5 * next.r[0]);
        return shop.rays.first(from, line.1).is_none_or(|(t, _)| t > gap - 0.02);
    }
    false
}

/// How an end looks.
#[derive(Debug, Clone, Copy, PartialEq)]
enum End {
    Open,
    Closed,
}

fn stack(shop: &Shop, line: (DVec3, DVec3), mut run: Vec<Piece>) -> Option<Stack> {
    let widest = |p: &Piece| p.r[0].max(p.r[1]);
    // A cone alone is a countersink only with a hole below it; a ring alone is a blend.
    if !run.iter().any(|p| p.shape == PieceShape::Cylinder || (p.shape == PieceShape::Cone && widest(p) > 0.0)) {
        return None;
    }
    if run.iter().all(|p| p.shape != PieceShape::Cylinder)
        && run.iter().all(|p| p.r[0].min(p.r[1]) > 1e-6 && p.cover < FULL)
    {
        return None;
    }
    let (mut axis, mut origin) = (line.1, line.0);
    let narrow = |p: &Piece| p.r[0].min(p.r[1]);
    let end_open = |s: f64, way: f64, run: &[Piece]| {
        let p = if way > 0.0 { &run[run.len() - 1] } else { &run[0] };
        let r = if way > 0.0 { p.r[1] } else { p.r[0] };
        if r < 1e-3 {
            return End::Closed;
        }
        let side = axis.any_orthonormal_vector();
        // Three rays from inside, near the wall of the end: a closed end stops all of them at once.
        let from = s - way * 0.02 * (p.s[1] - p.s[0]).min(1.0);
        let hits = (0..3).filter(|&k| {
            let a = TAU * f64::from(k) / 3.0 + 0.3;
            let off = (side * a.cos() + axis.cross(side) * a.sin()) * (0.4 * narrow(p).max(0.2 * r));
            shop.rays.first(origin + off + axis * from, axis * way).is_some_and(|(t, _)| t < 0.05 + 0.02)
        });
        if hits.count() >= 2 { End::Closed } else { End::Open }
    };
    let (lo, hi) = (run[0].s[0], run[run.len() - 1].s[1]);
    let ends = [end_open(lo, -1.0, &run), end_open(hi, 1.0, &run)];
    let mouth_r = [run[0].r[0], run[run.len() - 1].r[1]];
    // The mouth is the open end; of two the wider, of equals the one at the positive end.
    let mouth_high = match ends {
        [End::Closed, End::Open] => true,
        [End::Open, End::Closed] => false,
        _ => mouth_r[1] >= mouth_r[0] - 1e-6,
    };
    if mouth_high {
        // s grows into the material.
        axis = -axis;
        run.reverse();
        for p in &mut run {
            p.s = [-p.s[1], -p.s[0]];
            p.r.swap(0, 1);
        }
        origin = line.0;
    }
    let through = ends == [End::Open, End::Open];
    let closed_both = ends == [End::Closed, End::Closed];
    Some(describe(shop, origin, axis, run, through, closed_both))
}

fn describe(shop: &Shop, origin: DVec3, axis: DVec3, run: Vec<Piece>, through: bool, closed_both: bool) -> Stack {
    let top = run[0].s[0];
    let bottom = run[run.len() - 1].s[1];
    let cylinders: Vec<&Piece> = run.iter().filter(|p| p.shape == PieceShape::Cylinder).collect();
    // The pilot: what a drill would make first. The narrowest; of equal ones the longest.
    let pilot_r = cylinders.iter().map(|p| p.r[0]).fold(f64::INFINITY, f64::min);
    let pilot_r =
        if pilot_r.is_finite() { pilot_r } else { run.iter().map(|p| p.r[0].max(p.r[1])).fold(0.0, f64::max) };
    let mine = |p: &Piece| p.shape == PieceShape::Cylinder && (p.r[0] - pilot_r).abs() < shop.same;
    let pilot_end = run.iter().filter(|p| mine(p)).map(|p| p.s[1]).fold(top, f64::max);
    let pilot_start = run.iter().filter(|p| mine(p)).map(|p| p.s[0]).fold(bottom, f64::min);
    let mut faces: Vec<u32> = run.iter().flat_map(|p| p.faces.iter().copied()).collect();
    let mut d = Draft::new(FeatureKind::Hole, String::new(), Vec::new());
    let mut steps: Vec<String> = Vec::new();
    let mut has_point = false;
    let n = run.len();
    for (k, p) in run.iter().enumerate() {
        let length = p.s[1] - p.s[0];
        let before = k.checked_sub(1).map(|j| &run[j]);
        let after = run.get(k + 1);
        match p.shape {
            _ if mine(p) => {}
            PieceShape::Cylinder => {
                let dia = 2.0 * p.r[0];
                let wider_than =
                    |o: Option<&Piece>, inner: bool| o.is_none_or(|o| o.r[usize::from(inner)] < p.r[0] - 1e-6);
                let first = before.is_none_or(|b| b.s[0] <= top + 1e-6 && b.shape != PieceShape::Cylinder);
                if first && p.s[0] < pilot_start {
                    d.dims.push(mm("counterbore diameter", dia));
                    d.dims.push(mm("counterbore depth", p.s[1] - top));
                    steps.push(format!("counterbore Ø{} × {}", len(number(dia)), len(number(p.s[1] - top))));
                } else if before.is_some() && after.is_some() && wider_than(before, true) && wider_than(after, false) {
                    d.dims.push(mm("groove diameter", dia));
                    d.dims.push(mm("groove width", length));
                    d.cutter = Some(format!(
                        "groove cutter at most {} wide that passes Ø{}",
                        len(number(length)),
                        len(number(
                            2.0 * before.map_or(0.0, |b| b.r[1]).min(pilot_r.max(before.map_or(0.0, |b| b.r[1])))
                        ))
                    ));
                    steps.push(format!(
                        "groove Ø{} × {} wide, {} down",
                        len(number(dia)),
                        len(number(length)),
                        len(number(p.s[0] - top))
                    ));
                } else if p.s[0] >= pilot_end - 1e-6 && through && k + 1 == n {
                    d.dims.push(mm("back bore diameter", dia));
                    d.dims.push(mm("back bore depth", length));
                    steps.push(format!("bore Ø{} × {} from the other end", len(number(dia)), len(number(length))));
                } else {
                    d.dims.push(mm("step diameter", dia));
                    d.dims.push(mm("step depth", p.s[1] - top));
                    steps.push(format!("step Ø{} to {}", len(number(dia)), len(number(p.s[1] - top))));
                }
            }
            PieceShape::Cone => {
                let half = ((p.r[0] - p.r[1]).abs() / length.max(1e-9)).atan();
                let narrowing = p.r[1] < p.r[0];
                if p.r[1] < 1e-3 && k + 1 == n {
                    has_point = true;
                    d.dims.push(degrees("point angle", 2.0 * half));
                    steps.push(format!("point {}°", number((2.0 * half).to_degrees())));
                } else if k == 0 && narrowing {
                    let chamfer = length < 1.01 && p.r[0] - p.r[1] < 1.01 && length < 0.25 * p.r[1].max(1.0);
                    d.dims.push(mm("countersink diameter", 2.0 * p.r[0]));
                    d.dims.push(degrees("countersink angle", 2.0 * half));
                    steps.push(if chamfer {
                        format!("chamfered {} × {}°", len(number(length)), number(half.to_degrees()))
                    } else {
                        format!("countersink Ø{} {}°", len(number(2.0 * p.r[0])), number((2.0 * half).to_degrees()))
                    });
                } else if k + 1 == n && through {
                    d.dims.push(mm("back countersink diameter", 2.0 * p.r[0].max(p.r[1])));
                    d.dims.push(degrees("back countersink angle", 2.0 * half));
                    steps.push(format!(
                        "countersink Ø{} {}° at the other end",
                        len(number(2.0 * p.r[0].max(p.r[1]))),
                        number((2.0 * half).to_degrees())
                    ));
                } else {
                    d.dims.push(degrees("cone angle", 2.0 * half));
                    steps.push(format!(
                        "cone {}° from Ø{} to Ø{}",
                        number((2.0 * half).to_degrees()),
                        len(number(2.0 * p.r[0])),
                        len(number(2.0 * p.r[1]))
                    ));
                }
            }
            PieceShape::Ring => steps.push("rounded edge".into()),
            PieceShape::Ball => {
                has_point = true;
                d.dims.push(mm("ball radius", p.r[0].max(p.r[1])));
                steps.push(format!("ball end R{}", len(number(p.r[0].max(p.r[1])))));
            }
        }
    }
    // Steps and flat bottoms square to the axis belong to the hole: hollow at an edge to it, and nothing else at their outer edge.
    for k in 0..shop.part.faces.len() as u32 {
        let Some(normal) = shop.normal(k) else { continue };
        if normal.dot(axis).abs() < 1.0 - 1e-6 || faces.contains(&k) {
            continue;
        }
        let edges = &shop.at[k as usize];
        let own = edges.iter().filter(|&&e| faces.contains(&shop.part.edges[e].other(k))).count();
        let inside = edges
            .iter()
            .any(|&e| shop.part.edges[e].bend == Bend::Concave && faces.contains(&shop.part.edges[e].other(k)));
        if inside && own == edges.len() {
            faces.push(k);
        }
    }
    let dia = 2.0 * pilot_r;
    let depth = pilot_end - top;
    let flat = !through && !has_point;
    // Pieces of the pilot that are apart: so many walls.
    let mut walls = run.iter().filter(|p| mine(p)).map(|p| p.s).collect::<Vec<_>>();
    walls.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let mut open = 0.0;
    let mut pieces = usize::from(!walls.is_empty());
    for w in walls.windows(2) {
        let between = run.iter().any(|p| p.s[0] < w[1][0] - 1e-6 && p.s[1] > w[0][1] + 1e-6);
        if w[1][0] - w[0][1] > shop.same && !between {
            open += w[1][0] - w[0][1];
            pieces += 1;
        }
    }
    let cover = run.iter().filter(|p| mine(p)).map(|p| p.cover).fold(0.0, f64::max);
    // A centre for a lathe: 60°, small, short (ISO 866 forms are 60°; from memory).
    let centre = !through
        && d.dims.iter().any(|x| x.name == "countersink angle" && (x.value - 60.0).abs() < 1.5)
        && dia < 8.5
        && depth < 4.0 * dia;
    let name = if cover > 0.0 && cover < FULL {
        "Open hole"
    } else if closed_both {
        "Closed cavity"
    } else {
        "Hole"
    };
    let mut what = format!("{name} Ø{}", len(number(dia)));
    if through {
        what.push_str(" through");
        if pieces > 1 {
            what.push_str(&format!(" {pieces} walls"));
        }
    } else {
        what.push_str(&format!(" {} deep", len(number(depth))));
        if flat {
            what.push_str(", flat bottom");
        }
    }
    for s in &steps {
        what.push_str(", ");
        what.push_str(s);
    }
    if centre {
        what = what.replacen("Hole", "Centre hole", 1);
    }
    d.what = what;
    d.ends = Some(if through {
        Ending::Through
    } else if flat {
        Ending::Flat
    } else {
        Ending::Point
    });
    let mut dims = vec![mm("diameter", dia), mm("depth", depth)];
    dims.append(&mut d.dims);
    d.dims = dims;
    if pieces > 1 {
        d.dims.push(count("walls", pieces));
        d.dims.push(mm("open between", open));
    }
    let out = -axis;
    d.axis = Some(Axis { origin: origin + axis * top, direction: out });
    d.size = dia;
    d.deep = depth;
    d.cutter_d = Some(dia);
    // From the other end only what nowhere grows wider than that end.
    let widest = run.iter().map(|p| p.r[0].max(p.r[1])).fold(0.0, f64::max);
    let both = through && run[n - 1].r[1] > widest - 1e-6;
    if through && !both {
        d.remarks.push("its narrow part is open from the other side too".into());
    }
    d.looks = if both {
        vec![out, axis]
    } else if closed_both {
        vec![]
    } else {
        vec![out]
    };
    let side = axis.any_orthonormal_vector();
    let mid = f64::midpoint(pilot_start, pilot_end);
    d.probes = (0..8)
        .map(|k| TAU * f64::from(k) / 8.0 + 0.17)
        .map(|a| origin + axis * mid + (side * a.cos() + axis.cross(side) * a.sin()) * (0.8 * pilot_r))
        .collect();
    let reach = depth / dia;
    d.hard.push(hard(
        "depth ÷ diameter",
        reach,
        "×",
        10.0,
        "deeper than about 10 × D: pecks, a long drill, or from both ends (common practice, no source)",
    ));
    entry(shop, &mut d, &run, axis, &faces);
    if through && run.len() > 1 && run.iter().any(|p| p.r[0].max(p.r[1]) > run[0].r[0].max(run[n - 1].r[1]) + 1e-6) {
        d.remarks.push("wider inside than at both ends".into());
    }
    d.faces = faces.clone();
    let line = Line { origin, axis, s: [top, bottom], r: pilot_r, faces };
    Stack { draft: d, line }
}

/// Faces in which the hole begins and ends: flat and square, inclined, or curved.
fn entry(shop: &Shop, d: &mut Draft, run: &[Piece], axis: DVec3, own: &[u32]) {
    let top = run[0].s[0];
    let bottom = run[run.len() - 1].s[1];
    let mut told: Vec<String> = Vec::new();
    for p in run {
        for &f in &p.faces {
            for &e in &shop.at[f as usize] {
                let edge = &shop.part.edges[e];
                let o = edge.other(f);
                if own.contains(&o) || edge.bend != Bend::Convex {
                    continue;
                }
                let s = edge.points.iter().map(|&k| shop.part.mesh.points[k as usize].dot(axis));
                let (lo, hi) = s.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
                let whole = lo - top < 1e-3 || bottom - hi < 1e-3;
                let where_ = if lo - top < 1e-3 {
                    "enters"
                } else if bottom - hi < 1e-3 {
                    "leaves through"
                } else {
                    "breaks into"
                };
                let text = match shop.surface(o) {
                    Surface::Plane { normal, .. } => {
                        let tilt = normal.dot(axis).abs().clamp(0.0, 1.0).acos();
                        if tilt < 1e-4 || !whole && tilt > PI / 2.0 - 1e-4 {
                            continue;
                        }
                        d.dims.push(degrees(if where_ == "enters" { "entry tilt" } else { "exit tilt" }, tilt));
                        format!("{where_} a face that is inclined by {}°", number(tilt.to_degrees()))
                    }
                    Surface::Cylinder { radius, hollow, axis: a, .. } if a.dot(axis).abs() < 1.0 - 1e-6 => {
                        if *hollow {
                            format!("breaks into a hollow R{}", len(number(*radius)))
                        } else {
                            format!("{where_} a round face Ø{}", len(number(2.0 * radius)))
                        }
                    }
                    Surface::Free => format!("{where_} a free-form face"),
                    _ => continue,
                };
                if !told.contains(&text) {
                    told.push(text);
                }
            }
        }
    }
    if told.iter().any(|t| t.starts_with("enters")) {
        d.hard.push(hard(
            "entry not square",
            1.0,
            "",
            0.9,
            "a drill wanders there: mill a flat or spot it first (common practice)",
        ));
    }
    // Each of a kind once: an inclined face at both ends is told for both.
    d.dims.dedup_by(|a, b| a.name == b.name);
    d.remarks.extend(told);
}
