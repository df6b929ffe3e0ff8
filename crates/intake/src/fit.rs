//! Facets become faces: planes, cylinders and cones are fitted to a triangle mesh, with the largest deviation stated.
//!
//! A mesh of a turned or drilled surface is a chain of flat strips whose corners lie on the true surface. So: triangles in one plane
//! form *flats*; three flats in a row give an axis, because on a cylinder or cone their normals lie on a circle about it,
//! a ∝ (n₁ − n₂) × (n₂ − n₃); the surface through the corners of those three (Kåsa's algebraic circle fit) is grown over all neighbours whose corners lie on
//! it within a few grains of the writer's rounding, then fitted again to all its corners by least squares (Levenberg and Marquardt). What stays, and is bent, is one
//! free face for each smooth patch.
//!
//! Guarantee: every corner of a fitted face lies within the stated deviation. No guarantee: the designer's number; a drawn Ø6.8 comes out
//! as 6.8 only as exactly as the writer rounded its corners.

mod lid;
mod mesh;
pub(crate) mod round;

use geom::{DMat3, DVec3};
use kernel::{EdgeKind, RawEdge, RawFace, RawModel, RawSolid, RawSurface};
use mesh::{Mesh, edges, key};
use round::{FACET_TURN, Round, ball, covered};
use std::collections::HashMap;

/// Triangles by their corners.
pub type Soup = Vec<[[f64; 3]; 3]>;

/// Corners this many grains off a plane, cylinder or cone are on it; a grain is what the writer rounded to.
const GRAINS: f64 = 1.5;
/// Single precision keeps 6e-8 of a coordinate; a little more for sums of three.
const SINGLE: f64 = 4e-7;
/// Points closer than this share of the diagonal are one.
const WELD: f64 = 1e-6;
/// Flats of a patch from which an axis is guessed.
const PATCH: usize = 40;
/// Flats of one bent patch turn by no more than this to one another, rad.
const SMOOTH_TURN: f64 = 0.45;

/// Make a model of meshes, one or more bodies in each.
pub fn model(meshes: &[(&str, Soup)], format: &str, units: Vec<String>) -> Result<RawModel, String> {
    let all = || meshes.iter().flat_map(|m| m.1.iter().flatten());
    if all().flatten().any(|v| !v.is_finite()) {
        return Err(format!("the {format} file has corners that are no places; export the mesh again"));
    }
    let (lo, hi) = all().fold((DVec3::INFINITY, DVec3::NEG_INFINITY), |(lo, hi), p| {
        (lo.min(DVec3::from_array(*p)), hi.max(DVec3::from_array(*p)))
    });
    let diagonal = (hi - lo).length();
    if !(diagonal > 0.0 && diagonal < 1e7) {
        return Err(format!("the {format} file encloses nothing that has a size; export the mesh again"));
    }
    let tolerance = tolerance(meshes);
    let mut out = RawModel { format: format.into(), valid: true, length_units: units, ..Default::default() };
    let (mut worst, mut sagitta): (f64, f64) = (0.0, 0.0);
    let (mut flat, mut turned) = (0, false);
    let many = |n: usize| {
        format!(
            "the surface falls into {n} faces or more, a scan or a free form; parts of up to {} faces are planned: export it as STEP, or with flat and round faces",
            crate::MOST_FACES
        )
    };
    for (name, soup) in meshes {
        let mesh = Mesh::weld(soup, lo, diagonal * WELD);
        let alone = mesh.alone();
        if alone > 4 * crate::MOST_FACES {
            return Err(many(alone / 2));
        }
        flat += mesh.dropped;
        for body in mesh.bodies() {
            let mut body = body;
            turned |= body.orient();
            let own = body.triangles.len();
            if lid::close(&mut body, tolerance) {
                turned |= body.orient();
                out.sewn += 1;
            }
            let faces = Faces::find(&body, tolerance).map_err(many)?;
            worst = worst.max(faces.worst);
            sagitta = sagitta.max(faces.sagitta);
            let n = out.faces.len() + faces.surfaces.len();
            if n > crate::MOST_FACES {
                return Err(many(n));
            }
            append(&mut out, name, &body, &faces, own);
        }
    }
    if out.triangles.is_empty() {
        return Err(format!("the {format} file encloses nothing that has a size; export the mesh again"));
    }
    if flat > 0 {
        out.remarks.push(format!("{flat} triangles without area were left out"));
    }
    if turned {
        out.remarks.push("Some triangles looked inwards and were turned round".into());
    }
    out.fitted = Some(worst);
    out.chord_error = sagitta.max(worst).max(1e-4);
    Ok(out)
}

/// How far a corner may be off its surface by rounding alone, mm: the coarsest decimal place that nearly all coordinates keep to, or what
/// single precision leaves.
fn tolerance(meshes: &[(&str, Soup)]) -> f64 {
    let all = || meshes.iter().flat_map(|m| m.1.iter().flatten().flatten());
    let far = all().fold(0.0, |a: f64, v| a.max(v.abs()));
    let n = all().count();
    let keeps = |places: i32| {
        let f = 10f64.powi(places);
        let off = all().filter(|v| ((**v * f).round() / f - **v).abs() > 6e-8 * v.abs().max(1e-3)).count();
        off * 1000 <= n
    };
    let grain = (3..=7).find(|d| keeps(*d)).map_or(0.0, |d| 10f64.powi(-d));
    (GRAINS * grain).max(SINGLE * far)
}

/// Coplanar triangles that hang together.
struct Flat {
    triangles: Vec<usize>,
    normal: DVec3,
    area: f64,
    points: Vec<u32>,
    /// So narrow that its normal says nothing.
    thin: bool,
    /// Neighbouring flats with the length of the common border.
    around: Vec<(usize, f64)>,
}

/// Faces found: for each triangle its face, and the surfaces.
struct Faces {
    of_triangle: Vec<usize>,
    surfaces: Vec<(RawSurface, f64)>,
    worst: f64,
    sagitta: f64,
}

impl Faces {
    /// Faces of a mesh; the error is how many there are at least, where that is more than are planned.
    fn find(mesh: &Mesh, tolerance: f64) -> Result<Faces, usize> {
        let (flats, of_triangle) = flats(mesh, tolerance);
        // What is bent sharply at most of its border is a face of its own, whatever it is taken for.
        let is_hard = |(k, f): &(usize, &Flat)| {
            let all: f64 = f.around.iter().map(|a| a.1).sum();
            let soft = f.around.iter().filter(|a| turn(&flats, *k, a.0) < SMOOTH_TURN);
            soft.map(|a| a.1).sum::<f64>() < 0.5 * all
        };
        if flats.len() > crate::MOST_FACES {
            let hard = flats.iter().enumerate().filter(is_hard).count();
            if hard > crate::MOST_FACES {
                return Err(hard);
            }
        }
        let mut face_of: Vec<Option<usize>> = vec![None; flats.len()];
        let mut surfaces: Vec<(RawSurface, f64)> = Vec::new();
        let (mut worst, mut sagitta): (f64, f64) = (0.0, 0.0);
        // Strips between two rulings first, the widest before the narrow: their normals are square to the axis, those of single triangles need
        // not be, and three such triangles make a cone out of nothing.
        let mut order: Vec<usize> = (0..flats.len()).filter(|&k| !flats[k].thin).collect();
        let strip = |k: usize| flats[k].triangles.len() > 1;
        order.sort_by(|&a, &b| strip(b).cmp(&strip(a)).then(flats[b].area.total_cmp(&flats[a].area)).then(a.cmp(&b)));
        let mut tried = vec![false; flats.len()];
        for &seed in &order {
            if face_of[seed].is_some() {
                continue;
            }
            if let Some((members, round, off)) = grow(mesh, &flats, &face_of, &mut tried, seed, tolerance) {
                let k = surfaces.len();
                let r = round;
                // A strip's middle lies below the arc by r (1 − cos of half its turn).
                for &m in &members {
                    for &(o, _) in &flats[m].around {
                        if members.contains(&o) {
                            let turn = flats[m].normal.angle_between(flats[o].normal);
                            let widest = flats[m].points.iter().map(|&p| {
                                let d = mesh.points[p as usize] - r.origin;
                                (d - r.axis * d.dot(r.axis)).length()
                            });
                            sagitta = sagitta.max(widest.fold(0.0, f64::max) * (1.0 - (turn / 2.0).cos()));
                        }
                    }
                }
                worst = worst.max(off);
                members.iter().for_each(|&m| face_of[m] = Some(k));
                surfaces.push((r.surface(), off));
            }
        }
        // What is left and bends a little at most of its border is part of a free patch; the rest is flat.
        let bent = |f: &Flat, k: usize| {
            let all: f64 = f.around.iter().map(|a| a.1).sum();
            let soft = f.around.iter().filter(|a| face_of[a.0].is_none() && turn(&flats, k, a.0) < SMOOTH_TURN);
            all > 0.0 && soft.map(|a| a.1).sum::<f64>() > 0.5 * all
        };
        let soft: Vec<bool> = flats.iter().enumerate().map(|(k, f)| face_of[k].is_none() && bent(f, k)).collect();
        for start in 0..flats.len() {
            if face_of[start].is_some() {
                continue;
            }
            let k = surfaces.len();
            if soft[start] {
                let mut todo = vec![start];
                face_of[start] = Some(k);
                let mut members = Vec::new();
                while let Some(f) = todo.pop() {
                    members.push(f);
                    for &(o, _) in &flats[f].around {
                        if face_of[o].is_none() && soft[o] && turn(&flats, f, o) < SMOOTH_TURN {
                            face_of[o] = Some(k);
                            todo.push(o);
                        }
                    }
                }
                surfaces.push((ball(&corners_of(mesh, &flats, &members), tolerance).unwrap_or(RawSurface::Other), 0.0));
            } else {
                face_of[start] = Some(k);
                let f = &flats[start];
                let origin = mesh.points[f.points[0] as usize];
                surfaces.push((RawSurface::Plane { origin: origin.to_array(), normal: f.normal.to_array() }, 0.0));
            }
        }
        let of_triangle = of_triangle.into_iter().map(|f| face_of[f].unwrap_or(0)).collect();
        Ok(Faces { of_triangle, surfaces, worst, sagitta })
    }
}

fn turn(flats: &[Flat], a: usize, b: usize) -> f64 {
    flats[a].normal.angle_between(flats[b].normal)
}

fn flats(mesh: &Mesh, tolerance: f64) -> (Vec<Flat>, Vec<usize>) {
    let n = mesh.triangles.len();
    let mut at: HashMap<[u32; 2], Vec<usize>> = HashMap::new();
    for (t, tri) in mesh.triangles.iter().enumerate() {
        for e in edges(tri) {
            at.entry(key(e)).or_default().push(t);
        }
    }
    let mut order: Vec<usize> = (0..n).collect();
    let areas: Vec<f64> = (0..n).map(|t| mesh.normal(t).length() / 2.0).collect();
    order.sort_by(|&a, &b| areas[b].total_cmp(&areas[a]).then(a.cmp(&b)));
    let mut of_triangle = vec![usize::MAX; n];
    let mut out: Vec<Flat> = Vec::new();
    for seed in order {
        if of_triangle[seed] != usize::MAX {
            continue;
        }
        let k = out.len();
        let normal = mesh.normal(seed).normalize_or(DVec3::Z);
        let offset = mesh.corners(seed)[0].dot(normal);
        let mut members = vec![seed];
        of_triangle[seed] = k;
        let mut next = 0;
        while next < members.len() {
            let t = members[next];
            next += 1;
            for e in edges(&mesh.triangles[t]) {
                for &o in &at[&key(e)] {
                    if of_triangle[o] != usize::MAX || at[&key(e)].len() != 2 {
                        continue;
                    }
                    let on = mesh.corners(o).iter().all(|p| (p.dot(normal) - offset).abs() <= tolerance);
                    // A sliver has no direction of its own.
                    let sliver = areas[o] < tolerance * tolerance;
                    if on && (sliver || mesh.normal(o).normalize_or_zero().dot(normal) > 0.9) {
                        of_triangle[o] = k;
                        members.push(o);
                    }
                }
            }
        }
        let area = members.iter().map(|&t| areas[t]).sum();
        let mut points: Vec<u32> = members.iter().flat_map(|&t| mesh.triangles[t]).collect();
        points.sort_unstable();
        points.dedup();
        let corners = |k: usize| mesh.points[points[k] as usize];
        let longest = (1..points.len()).map(|k| corners(k).distance(corners(0))).fold(0.0, f64::max);
        let thin = area < 20.0 * tolerance * longest;
        out.push(Flat { triangles: members, normal, area, points, thin, around: Vec::new() });
    }
    let borders = |f: usize, flat: &Flat| {
        let mut around: Vec<(usize, f64)> = Vec::new();
        for &t in &flat.triangles {
            for e in edges(&mesh.triangles[t]) {
                let length = mesh.points[e[0] as usize].distance(mesh.points[e[1] as usize]);
                for &o in &at[&key(e)] {
                    let g = of_triangle[o];
                    if g != f {
                        match around.iter_mut().find(|a| a.0 == g) {
                            Some(a) => a.1 += length,
                            None => around.push((g, length)),
                        }
                    }
                }
            }
        }
        around.sort_by_key(|a| a.0);
        around
    };
    let all: Vec<Vec<(usize, f64)>> = out.iter().enumerate().map(|(f, flat)| borders(f, flat)).collect();
    out.iter_mut().zip(all).for_each(|(f, around)| f.around = around);
    (out, of_triangle)
}

/// Grow a cylinder or cone from a flat: members, the surface fitted to all of them, and its largest deviation.
fn grow(
    mesh: &Mesh,
    flats: &[Flat],
    face_of: &[Option<usize>],
    tried: &mut [bool],
    seed: usize,
    tolerance: f64,
) -> Option<(Vec<usize>, Round, f64)> {
    let free = |k: usize| face_of[k].is_none();
    let near: Vec<usize> = flats[seed]
        .around
        .iter()
        .map(|a| a.0)
        .filter(|&o| free(o) && !flats[o].thin && (1e-4..FACET_TURN).contains(&turn(flats, seed, o)))
        .take(8)
        .collect();
    let mut best: Option<(Vec<usize>, Round)> = None;
    for (i, &a) in near.iter().enumerate() {
        for &b in &near[i + 1..] {
            let (na, n, nb) = (flats[a].normal, flats[seed].normal, flats[b].normal);
            let axis = (na - n).cross(n - nb);
            // Normals on a straight line turn about nothing; opposite turns have no common axis.
            if axis.length() < 1e-7 || (na - n).dot(n - nb) <= 0.0 {
                continue;
            }
            let axis = axis.normalize();
            let Some((members, round)) = spread(mesh, flats, &free, [seed, a, b], axis, tolerance) else { continue };
            if best.as_ref().is_none_or(|x| members.len() > x.0.len()) {
                best = Some((members, round));
            }
        }
    }
    if best.is_none() && !tried[seed] {
        // Where the mesh has nodes inside the face its triangles lie askew, and three normals say nothing: those of a patch do.
        let mut patch = vec![seed];
        let mut next = 0;
        while next < patch.len() && patch.len() < PATCH {
            let k = patch[next];
            next += 1;
            for &(o, _) in &flats[k].around {
                if free(o) && turn(flats, k, o) < FACET_TURN && !patch.contains(&o) {
                    patch.push(o);
                }
            }
        }
        patch.iter().for_each(|&k| tried[k] = true);
        if patch.len() >= 8
            && let Some(axis) = axis_of(&normals_of(flats, &patch))
            && let Some(r) = Round::fit(axis, &corners_of(mesh, flats, &patch), &normals_of(flats, &patch))
        {
            let points = corners_of(mesh, flats, &patch);
            // A cone that is fitted as a cylinder first finds its angle by itself.
            let start = if r.half_angle == 0.0 { Round { half_angle: 1e-6, ..r } } else { r };
            best = [start.refined(&points), Round { half_angle: 0.0, ..r }.refined(&points)]
                .into_iter()
                .filter_map(|r| spread_from(mesh, flats, &free, &patch[..3], r, tolerance))
                .max_by_key(|b| b.0.len());
        }
    }
    let (members, round) = best?;
    let points = corners_of(mesh, flats, &members);
    let round = round.tidied(&points, &normals_of(flats, &members), tolerance);
    let off = points.iter().map(|p| round.off(*p).abs()).fold(0.0, f64::max);
    Some((members, round, off))
}

fn corners_of(mesh: &Mesh, flats: &[Flat], members: &[usize]) -> Vec<DVec3> {
    let mut k: Vec<u32> = members.iter().flat_map(|&m| flats[m].points.iter().copied()).collect();
    k.sort_unstable();
    k.dedup();
    k.into_iter().map(|p| mesh.points[p as usize]).collect()
}

fn normals_of(flats: &[Flat], members: &[usize]) -> Vec<(DVec3, f64)> {
    members.iter().map(|&m| (flats[m].normal, flats[m].area)).collect()
}

fn spread(
    mesh: &Mesh,
    flats: &[Flat],
    free: &impl Fn(usize) -> bool,
    three: [usize; 3],
    axis: DVec3,
    tolerance: f64,
) -> Option<(Vec<usize>, Round)> {
    let points = corners_of(mesh, flats, &three);
    let first = Round::fit(axis, &points, &normals_of(flats, &three))?;
    spread_from(mesh, flats, free, &three, first, tolerance)
        .or_else(|| spread_from(mesh, flats, free, &three, first.refined(&points), tolerance))
}

/// Half angles below this are none, rad.
const STRAIGHT: f64 = 2e-3;

fn spread_from(
    mesh: &Mesh,
    flats: &[Flat],
    free: &impl Fn(usize) -> bool,
    three: &[usize],
    round: Round,
    tolerance: f64,
) -> Option<(Vec<usize>, Round)> {
    let fits = |r: &Round, k: usize, tolerance: f64| {
        let f = &flats[k];
        f.points.iter().all(|&p| r.off(mesh.points[p as usize]).abs() <= tolerance)
            && (f.thin || r.normal(mesh.points[f.points[0] as usize]).dot(f.normal).abs() > FACET_TURN.cos())
    };
    let straight = |r: Round| if r.half_angle.abs() < STRAIGHT { Round { half_angle: 0.0, ..r } } else { r };
    let mut round = straight(round);
    let mut members: Vec<usize> = three.to_vec();
    if !three.iter().all(|&k| fits(&round, k, tolerance)) {
        return None;
    }
    // Three strips of a fine mesh span a few degrees: the surface through them is sure there and not a turn further. So it grows by no more
    // than it has, and is fitted anew, until nothing is added.
    let mut seen: std::collections::HashSet<usize> = members.iter().copied().collect();
    loop {
        let had = members.len();
        let mut next = 0;
        while next < members.len() && members.len() < 2 * had {
            let k = members[next];
            next += 1;
            for &(o, _) in &flats[k].around {
                if free(o) && !seen.contains(&o) && fits(&round, o, 4.0 * tolerance) {
                    seen.insert(o);
                    members.push(o);
                }
            }
        }
        if members.len() == had {
            break;
        }
        let better = straight(round.refined(&corners_of(mesh, flats, &members)));
        if three.iter().all(|&k| fits(&better, k, tolerance)) {
            round = better;
        }
    }
    members.retain(|&k| fits(&round, k, tolerance));
    // A chamfered edge is three flats too: a round one has more, or turns little from one to the next.
    let broad = members.iter().filter(|&&k| !flats[k].thin).count();
    // Four rulings that lie like a trapezoid's corners are always on one circle: a wall between two strips of its corners is none.
    let areas = || three.iter().map(|&k| flats[k].area);
    let even = areas().fold(0.0, f64::max) < 4.0 * areas().fold(f64::INFINITY, f64::min);
    (broad >= 5 || (broad >= 3 && even && turn(flats, three[1], three[2]) < 0.5)).then_some((members, round))
}

/// The direction about which normals turn: eigenvector of the smallest eigenvalue of their scatter, by inverse iteration.
fn axis_of(normals: &[(DVec3, f64)]) -> Option<DVec3> {
    let w: f64 = normals.iter().map(|n| n.1).sum();
    let mean = normals.iter().map(|(n, a)| *n * *a).sum::<DVec3>() / w;
    let mut m = DMat3::ZERO;
    for (n, a) in normals {
        let d = *n - mean;
        m += DMat3::from_cols(d * d.x, d * d.y, d * d.z) * (*a / w);
    }
    let trace = m.x_axis.x + m.y_axis.y + m.z_axis.z;
    if trace < 1e-9 {
        return None;
    }
    let inv = (m + DMat3::IDENTITY * (trace * 1e-9)).inverse();
    let mut v = DVec3::new(0.37, 0.61, 0.70);
    for _ in 0..30 {
        v = (inv * v).try_normalize()?;
    }
    Some(v)
}

fn append(out: &mut RawModel, name: &str, body: &Mesh, faces: &Faces, own: usize) {
    let solid = out.solids.len() as u32;
    let first_point = out.vertices.len() as u32;
    let first_face = out.faces.len() as u32;
    out.vertices.extend(body.points.iter().map(|p| p.to_array()));
    out.solids.push(RawSolid { name: name.into(), volume: body.volume() });
    let mut of_face: Vec<Vec<usize>> = vec![Vec::new(); faces.surfaces.len()];
    for (t, &f) in faces.of_triangle.iter().enumerate() {
        of_face[f].push(t);
    }
    for (k, (surface, _)) in faces.surfaces.iter().enumerate() {
        let first_triangle = out.triangles.len() as u32;
        out.triangles.extend(of_face[k].iter().map(|&t| body.triangles[t].map(|p| p + first_point)));
        out.faces.push(RawFace {
            solid,
            surface: *surface,
            bounds: [
                0.0,
                covered(surface, of_face[k].iter().flat_map(|&t| body.triangles[t]).map(|c| body.points[c as usize])),
                0.0,
                0.0,
            ],
            area: of_face[k].iter().map(|&t| body.normal(t).length() / 2.0).sum(),
            colour: None,
            curvature: [0.0; 2],
            samples: Vec::new(),
            recognised: None,
            sag: None,
            cap: of_face[k].iter().any(|&t| t >= own),
            first_triangle,
            triangle_count: of_face[k].len() as u32,
        });
    }
    borders(out, body, faces, first_point, first_face);
}

/// Edges between faces: chains of mesh edges with the same two faces.
fn borders(out: &mut RawModel, body: &Mesh, faces: &Faces, first_point: u32, first_face: u32) {
    let mut at: HashMap<[u32; 2], Vec<usize>> = HashMap::new();
    for (t, tri) in body.triangles.iter().enumerate() {
        for e in edges(tri) {
            at.entry(key(e)).or_default().push(t);
        }
    }
    let mut groups: std::collections::BTreeMap<([u32; 2], bool), Vec<[u32; 2]>> = std::collections::BTreeMap::new();
    for (e, ts) in &at {
        let f: Vec<u32> = ts.iter().map(|&t| faces.of_triangle[t] as u32).collect();
        match f[..] {
            [a, b] if a != b => groups.entry((key([a, b]), false)).or_default().push(*e),
            [_, _] => {}
            // One triangle, or more than two: no closed surface here.
            _ => groups.entry((key([f[0], *f.last().unwrap_or(&f[0])]), true)).or_default().push(*e),
        }
    }
    for ((pair, open), mut list) in groups {
        list.sort_unstable();
        let mut next: HashMap<u32, Vec<u32>> = HashMap::new();
        for [a, b] in &list {
            next.entry(*a).or_default().push(*b);
            next.entry(*b).or_default().push(*a);
        }
        let mut starts: Vec<u32> = next.iter().filter(|(_, v)| v.len() != 2).map(|(k, _)| *k).collect();
        starts.sort_unstable();
        let mut rest: Vec<u32> = next.keys().copied().collect();
        rest.sort_unstable();
        starts.extend(rest);
        for s in starts {
            loop {
                let mut line = vec![s];
                let mut here = s;
                while let Some(to) = next.get_mut(&here).and_then(Vec::pop) {
                    if let Some(v) = next.get_mut(&to) {
                        v.retain(|&x| x != here);
                    }
                    line.push(to);
                    here = to;
                }
                if line.len() < 2 {
                    break;
                }
                let p: Vec<DVec3> = line.iter().map(|&k| body.points[k as usize]).collect();
                out.edges.push(RawEdge {
                    faces: pair.map(|f| f + first_face),
                    kind: kind(&p, pair.map(|f| faces.surfaces[f as usize].0)),
                    length: p.windows(2).map(|w| w[0].distance(w[1])).sum(),
                    points: line.iter().map(|k| k + first_point).collect(),
                    open,
                });
            }
        }
    }
}

fn kind(p: &[DVec3], surfaces: [RawSurface; 2]) -> EdgeKind {
    let (a, b) = (p[0], p[p.len() - 1]);
    if a != b {
        let d = (b - a).normalize_or_zero();
        let off = p.iter().map(|q| (*q - a).reject_from_normalized(d).length()).fold(0.0, f64::max);
        if off < 1e-6 * (b - a).length() + 1e-9 {
            return EdgeKind::Line;
        }
    }
    for (s, o) in [(surfaces[0], surfaces[1]), (surfaces[1], surfaces[0])] {
        let (RawSurface::Cylinder { origin, axis, .. } | RawSurface::Cone { origin, axis, .. }) = s else { continue };
        let (origin, axis) = (DVec3::from_array(origin), DVec3::from_array(axis));
        let across = match o {
            RawSurface::Plane { normal, .. } => DVec3::from_array(normal).dot(axis).abs() > 1.0 - 1e-6,
            RawSurface::Cylinder { axis: a, .. } | RawSurface::Cone { axis: a, .. } => {
                DVec3::from_array(a).dot(axis).abs() > 1.0 - 1e-6
            }
            _ => false,
        };
        if across {
            let h = (p[0] - origin).dot(axis);
            let centre = origin + axis * h;
            if p.iter().all(|q| ((*q - origin).dot(axis) - h).abs() < 1e-4) {
                return EdgeKind::Circle {
                    centre: centre.to_array(),
                    axis: axis.to_array(),
                    radius: p[0].distance(centre),
                };
            }
        }
    }
    EdgeKind::Other
}
