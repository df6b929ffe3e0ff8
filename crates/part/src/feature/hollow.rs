//! Pockets, slots, steps, cut-outs and undercuts: faces joined over hollow edges.

use super::{Axis, Body, Draft, FeatureKind, Shop, count, degrees, hard, mm, number};
use crate::{Bend, Surface};
use geom::{DVec2, DVec3};
use reason::len;
use std::collections::BTreeMap;

/// Normals within this of square or parallel are so.
const SQUARE: f64 = 1e-4;

/// Does a face stand for an inside corner: round, hollow, and tangent to what it joins?
fn blend(shop: &Shop, f: u32) -> bool {
    let face = &shop.part.faces[f as usize];
    let round = match face.surface {
        Surface::Cylinder { hollow, .. } | Surface::Torus { hollow, .. } | Surface::Sphere { hollow, .. } => hollow,
        Surface::Cone { hollow, .. } => hollow,
        Surface::Free => face.concave_radius.is_some() && face.area < 0.1 * shop.part.area,
        Surface::Plane { .. } => false,
    };
    round && shop.at[f as usize].iter().any(|&e| shop.part.edges[e].bend == Bend::Smooth)
}

fn components(shop: &Shop, taken: &[bool]) -> Vec<Vec<u32>> {
    let n = shop.part.faces.len();
    let mut group: Vec<usize> = (0..n).collect();
    fn root(g: &mut [usize], mut a: usize) -> usize {
        while g[a] != a {
            g[a] = g[g[a]];
            a = g[a];
        }
        a
    }
    let blends: Vec<bool> = (0..n as u32).map(|f| blend(shop, f)).collect();
    for e in &shop.part.edges {
        let [a, b] = e.faces.map(|f| f as usize);
        if taken[a] || taken[b] {
            continue;
        }
        // A free form that is no blend is a feature of its own.
        if [a, b].iter().any(|&f| matches!(shop.part.faces[f].surface, Surface::Free) && !blends[f]) {
            continue;
        }
        let joins = match e.bend {
            Bend::Concave => true,
            Bend::Smooth => blends[a] || blends[b],
            Bend::Convex => false,
        };
        if joins {
            let (a, b) = (root(&mut group, a), root(&mut group, b));
            group[a.max(b)] = a.min(b);
        }
    }
    let mut out: BTreeMap<usize, Vec<u32>> = BTreeMap::new();
    for (f, t) in taken.iter().enumerate() {
        if !t {
            out.entry(root(&mut group, f)).or_default().push(f as u32);
        }
    }
    out.into_values().filter(|c| c.len() > 1).collect()
}

/// Length of a face's border by how it bends: hollow (or blended hollow), all.
fn border(shop: &Shop, f: u32, inside: &[u32]) -> (f64, f64) {
    shop.at[f as usize].iter().map(|&e| &shop.part.edges[e]).fold((0.0, 0.0), |(c, all), e| {
        let o = e.other(f);
        let hollow = e.bend == Bend::Concave || (e.bend == Bend::Smooth && inside.contains(&o) && blend(shop, o));
        (c + if hollow { e.length } else { 0.0 }, all + e.length)
    })
}

/// Find all.
pub fn find(shop: &Shop, taken: &[bool], body: &Body, drafts: &mut Vec<Draft>) {
    for faces in components(shop, taken) {
        // The shoulders of a turned part belong to its profile.
        if !body.turned_faces.is_empty() && faces.iter().all(|f| body.turned_faces.contains(f)) {
            continue;
        }
        let found = hollow(shop, &faces, taken).map(|mut d| {
            let round = matches!(body.kind, super::BodyKind::Turned);
            let across = d.axis.zip(body.axis).is_some_and(|(a, b)| a.direction.dot(b.direction).abs() < SQUARE);
            if round && across && matches!(d.kind, FeatureKind::Slot | FeatureKind::Pocket) {
                d.kind = FeatureKind::KeySeat;
                d.what = format!("Key seat: {}", super::lower(&d.what));
            }
            d
        });
        drafts.extend(found);
    }
}

/// Candidates for the direction that looks into a hollow, with the floor it belongs to.
fn direction(shop: &Shop, faces: &[u32]) -> Option<(DVec3, u32, bool)> {
    let planes: Vec<(u32, DVec3, f64)> =
        faces.iter().filter_map(|&f| shop.normal(f).map(|n| (f, n, shop.part.faces[f as usize].area))).collect();
    let mut best: Option<(i32, f64, DVec3, u32, bool)> = None;
    for &(f, n, own) in &planes {
        let covered = planes.iter().any(|p| p.1.dot(n) < -SQUARE);
        let (hollow, all) = border(shop, f, faces);
        let ratio = hollow / all.max(1e-9);
        // All of one height count together.
        let area: f64 = planes.iter().filter(|p| p.1.dot(n) > 1.0 - 1e-6).map(|p| p.2).sum();
        let rank = if covered { 0 } else { 2 + i32::from(ratio > 0.95) };
        let score = if covered {
            // What is seen of it through the mouth.
            let probes = shop.samples(f, 21);
            let open = probes.iter().filter(|p| shop.rays.first(**p, n).is_none()).count();
            open as f64 / probes.len().max(1) as f64 * own
        } else {
            area
        };
        if best.as_ref().is_none_or(|b| (rank, score) > (b.0, b.1)) {
            best = Some((rank, score, n, f, covered));
        }
    }
    best.map(|b| (b.2, b.3, b.4))
}

/// A direction along which all faces of a hollow run: it has walls only.
fn along(shop: &Shop, faces: &[u32]) -> Option<DVec3> {
    let mut d: Option<DVec3> = None;
    let mut normals: Vec<DVec3> = Vec::new();
    for &f in faces {
        match *shop.surface(f) {
            Surface::Plane { normal, .. } => normals.push(normal),
            Surface::Cylinder { axis, .. } => d = d.or(Some(axis)),
            _ => return None,
        }
    }
    let d = match d {
        Some(d) => d,
        None => normals.iter().find_map(|n| {
            let c = n.cross(normals[0]);
            (c.length() > 0.1).then(|| c.normalize())
        })?,
    };
    let runs = faces.iter().all(|&f| match *shop.surface(f) {
        Surface::Plane { normal, .. } => normal.dot(d).abs() < SQUARE,
        Surface::Cylinder { axis, .. } => axis.dot(d).abs() > 1.0 - SQUARE,
        _ => false,
    });
    // The sense does not matter; settled for the name's sake.
    let (_, d) = super::stack::line_of(DVec3::ZERO, d);
    runs.then_some(d)
}

/// A frame square to a direction, its x along the longest straight wall.
fn frame(shop: &Shop, faces: &[u32], n: DVec3) -> (DVec3, DVec3) {
    let mut best = (0.0, n.any_orthonormal_vector());
    for &f in faces {
        if let Some(m) = shop.normal(f)
            && m.dot(n).abs() < SQUARE
        {
            let x = n.cross(m).normalize();
            let (a, b) = shop.span(&[f], x);
            if b - a > best.0 + 1e-6 {
                best = (b - a, x);
            }
        }
    }
    (best.1, n.cross(best.1))
}

/// Smallest radius of the corners that stand upright to a floor; 0 where two walls meet sharply.
fn corner(shop: &Shop, faces: &[u32], n: DVec3) -> Option<f64> {
    let round = faces.iter().filter_map(|&f| match *shop.surface(f) {
        Surface::Cylinder { axis, radius, hollow: true, .. } if axis.dot(n).abs() > 1.0 - SQUARE => Some(radius),
        _ => None,
    });
    let sharp = shop.part.edges.iter().any(|e| {
        e.bend == Bend::Concave && e.faces.iter().all(|f| faces.contains(f)) && e.points.len() >= 2 && {
            let p = |k: u32| shop.part.mesh.points[k as usize];
            let d = (p(e.points[e.points.len() - 1]) - p(e.points[0])).normalize_or_zero();
            d.dot(n).abs() > 1.0 - SQUARE
        }
    });
    if sharp { Some(0.0) } else { round.reduce(f64::min) }
}

/// Radius between floor and walls.
fn floor_radius(shop: &Shop, faces: &[u32], n: DVec3) -> Option<f64> {
    faces
        .iter()
        .filter_map(|&f| match *shop.surface(f) {
            Surface::Cylinder { axis, radius, hollow: true, .. } if axis.dot(n).abs() < SQUARE => Some(radius),
            Surface::Torus { axis, minor, hollow: true, .. } if axis.dot(n).abs() > 1.0 - SQUARE => Some(minor),
            Surface::Sphere { radius, hollow: true, .. } => Some(radius),
            _ => None,
        })
        .reduce(f64::min)
}

fn hollow(shop: &Shop, faces: &[u32], taken: &[bool]) -> Option<Draft> {
    let run = along(shop, faces);
    // A sharp channel runs along its own length: it is a slot or step all the same. Round corners and closed rings are cut along their run.
    if let Some(d) = run
        && (ring(shop, faces) || corner(shop, faces, d).is_some_and(|r| r > 0.0))
    {
        return walls_only(shop, faces, d);
    }
    let (n, floor, covered) = direction(shop, faces)?;
    let floor_at = shop.span(&[floor], n).0;
    let walls: Vec<u32> =
        faces.iter().copied().filter(|&f| f != floor && shop.span(&[f], n).1 > floor_at + 1e-3).collect();
    let (x, y) = frame(shop, faces, n);
    let top = shop.span(&walls, n).1.max(floor_at);
    let deep = top - floor_at;
    if covered {
        return Some(undercut(shop, faces, n, floor, x, y, deep, taken));
    }
    let mut floors: Vec<f64> = faces
        .iter()
        .filter(|&&f| shop.normal(f).is_some_and(|m| m.dot(n) > 1.0 - 1e-6))
        .map(|&f| top - shop.span(&[f], n).0)
        .filter(|d| *d > 1e-3)
        .collect();
    floors.sort_by(f64::total_cmp);
    floors.dedup_by(|a, b| (*a - *b).abs() < shop.same);
    let deep = floors.last().copied().unwrap_or(deep);
    let (hollow_len, all_len) = border_of_floors(shop, faces, n);
    let closed = hollow_len > all_len - 1e-3;
    let facing = facing(shop, faces, n);
    let (ax, bx) = shop.extent(faces, x);
    let (ay, by) = shop.extent(faces, y);
    let (mut length, mut width) = (bx - ax, by - ay);
    let round = corner(shop, faces, n);
    let under = floor_radius(shop, faces, n);
    let drafted =
        faces.iter().filter_map(|&f| shop.normal(f)).map(|m| m.dot(n)).filter(|c| *c > SQUARE && *c < 1.0 - 1e-6);
    let draft = drafted.fold(0.0, f64::max);
    let kind = if closed {
        FeatureKind::Pocket
    } else if facing.is_some() {
        FeatureKind::Slot
    } else {
        FeatureKind::Step
    };
    let mut d = Draft::new(kind, String::new(), faces.to_vec());
    if let Some((w, across)) = facing.filter(|_| kind == FeatureKind::Slot) {
        let l = shop.extent(faces, n.cross(across));
        (width, length) = (w, l.1 - l.0);
    } else if length < width {
        std::mem::swap(&mut length, &mut width);
    }
    let obround = closed && round.is_some_and(|r| (2.0 * r - width).abs() < 0.02) && length > width + shop.same;
    let words = match kind {
        FeatureKind::Pocket if obround => {
            format!("Slot with round ends {} × {}, {} deep", len(number(length)), len(number(width)), len(number(deep)))
        }
        FeatureKind::Pocket => {
            format!("Pocket {} × {}, {} deep", len(number(length)), len(number(width)), len(number(deep)))
        }
        FeatureKind::Slot => {
            format!("Slot {} wide, {} deep, {} long", len(number(width)), len(number(deep)), len(number(length)))
        }
        _ => format!("Step {} × {}, {} deep", len(number(length)), len(number(width)), len(number(deep))),
    };
    d.what = words;
    if obround {
        d.kind = FeatureKind::Slot;
    }
    d.dims = vec![mm("length", length), mm("width", width), mm("depth", deep)];
    if let Some(r) = round.filter(|r| *r > 0.0) {
        d.dims.push(mm("corner radius", r));
        if !obround {
            d.what.push_str(&format!(", corners R{}", len(number(r))));
        }
        d.hard.push(hard(
            "corner radius",
            r,
            "mm",
            2.0,
            "cutter radius at most about 0.8 × corner radius (common practice, no source)",
        ));
    } else if round == Some(0.0) {
        d.what.push_str(", sharp corners");
    }
    if let Some(r) = under {
        d.dims.push(mm("floor radius", r));
        d.what.push_str(&format!(", floor R{}", len(number(r))));
        d.remarks.push(format!("floor blended R{}: a ball or bull-nosed cutter", len(number(r))));
    }
    if draft > 0.0 {
        d.dims.push(degrees("draft", draft.asin()));
        d.remarks.push(format!("walls lean by {}°", number(draft.asin().to_degrees())));
    }
    if floors.len() > 1 {
        let list: Vec<String> = floors.iter().map(|f| number(*f)).collect();
        d.remarks.push(format!("floors at {} below its rim", list.join(", ")));
        for f in &floors[..floors.len() - 1] {
            d.dims.push(mm("upper floor", *f));
        }
    }
    let islands = islands(shop, faces, floor);
    if islands > 0 {
        d.dims.push(count("islands", islands));
        d.remarks.push(format!("{islands} island{} inside", if islands > 1 { "s" } else { "" }));
    }
    d.axis = Some(Axis { origin: (shop.samples(floor, 1).first().copied().unwrap_or(DVec3::ZERO)), direction: n });
    d.looks = vec![n];
    // A step lies open to its wall's side as well.
    if kind == FeatureKind::Step {
        d.looks.extend(walls.iter().filter_map(|&f| shop.normal(f)).filter(|m| m.dot(n).abs() < SQUARE).take(2));
    }
    // A channel is open along its run as well.
    if let Some(run) = run {
        d.looks.extend([run, -run]);
    }
    d.probes = shop.samples(floor, 12);
    d.corner = round;
    d.cutter_d = match (round, kind) {
        (Some(r), _) if r > 0.0 => Some((2.0 * r).min(width)),
        (_, FeatureKind::Step) => None,
        _ => Some(width),
    };
    d.deep = deep;
    d.size = deep;
    Some(d)
}

/// Border lengths of all floors of a hollow: to its own walls, and all. Mouths of holes in the floor do not count.
fn border_of_floors(shop: &Shop, faces: &[u32], n: DVec3) -> (f64, f64) {
    let (mut hollow, mut all) = (0.0, 0.0);
    for &f in faces.iter().filter(|&&f| shop.normal(f).is_some_and(|m| m.dot(n) > 1.0 - 1e-6)) {
        let holes = inner(shop, f);
        for &k in &shop.at[f as usize] {
            let e = &shop.part.edges[k];
            let o = e.other(f);
            let inside = faces.contains(&o) && (e.bend == Bend::Concave || (e.bend == Bend::Smooth && blend(shop, o)));
            // Down into something else: a hole's mouth or a deeper pocket, which leaves the floor closed.
            let down = e.bend == Bend::Convex && {
                let (lo, hi) = shop.span(&[o], n);
                let at = shop.span(&[f], n).1;
                hi <= at + 1e-3 && lo < at - 1e-3
            };
            let hole = down && holes.contains(&k);
            if !hole {
                all += e.length;
                hollow += if inside { e.length } else { 0.0 };
            }
        }
    }
    (hollow, all)
}

/// Edges of a flat face's inner borders: all loops but the one that reaches furthest out.
fn inner(shop: &Shop, f: u32) -> Vec<usize> {
    let mut loops: Vec<(Vec<usize>, Vec<u32>)> = Vec::new();
    for &e in &shop.at[f as usize] {
        let p = &shop.part.edges[e].points;
        let ends = [p.first().copied().unwrap_or(0), p.last().copied().unwrap_or(0)];
        let (mut edges, mut points) = (vec![e], ends.to_vec());
        let mut k = 0;
        while k < loops.len() {
            if loops[k].1.iter().any(|v| ends.contains(v)) {
                let old = loops.swap_remove(k);
                edges.extend(old.0);
                points.extend(old.1);
            } else {
                k += 1;
            }
        }
        loops.push((edges, points));
    }
    let x = shop.normal(f).map_or(DVec3::X, |n| n.any_orthonormal_vector());
    let most = |l: &(Vec<usize>, Vec<u32>)| {
        let all = l.0.iter().flat_map(|&e| shop.part.edges[e].points.iter());
        all.map(|&k| shop.part.mesh.points[k as usize].dot(x)).fold(f64::NEG_INFINITY, f64::max)
    };
    let outer = (0..loops.len()).max_by(|&a, &b| most(&loops[a]).total_cmp(&most(&loops[b])));
    loops.into_iter().enumerate().filter(|(k, _)| Some(*k) != outer).flat_map(|l| l.1.0).collect()
}

/// Two walls that look at each other across the hollow, the widest pair: distance and direction across.
fn facing(shop: &Shop, faces: &[u32], n: DVec3) -> Option<(f64, DVec3)> {
    let walls: Vec<(u32, DVec3, f64)> = faces
        .iter()
        .filter_map(|&f| match *shop.surface(f) {
            Surface::Plane { normal, offset } if normal.dot(n).abs() < SQUARE => Some((f, normal, offset)),
            _ => None,
        })
        .collect();
    let mut best: Option<(f64, f64, DVec3)> = None;
    for (i, a) in walls.iter().enumerate() {
        for b in &walls[i + 1..] {
            if a.1.dot(b.1) > -1.0 + 1e-6 {
                continue;
            }
            // They look at each other: each lies on the outer side of the other.
            let gap = -b.2 - a.2;
            let along = n.cross(a.1);
            let (p, q) = (shop.span(&[a.0], along), shop.span(&[b.0], along));
            let common = p.1.min(q.1) - p.0.max(q.0);
            if gap > 1e-3 && common > 0.0 && best.as_ref().is_none_or(|w| common > w.0) {
                best = Some((common, gap, a.1));
            }
        }
    }
    best.map(|b| (b.1, b.2))
}

/// Groups of walls that stand in the floor by themselves.
fn islands(shop: &Shop, faces: &[u32], floor: u32) -> usize {
    let mut groups: Vec<Vec<u32>> = Vec::new();
    for e in inner(shop, floor) {
        let e = &shop.part.edges[e];
        let o = e.other(floor);
        if e.bend == Bend::Convex || !faces.contains(&o) {
            continue;
        }
        let touches: Vec<usize> = groups
            .iter()
            .enumerate()
            .filter(|(_, g)| {
                g.contains(&o)
                    || g.iter().any(|&w| shop.at[w as usize].iter().any(|&x| shop.part.edges[x].other(w) == o))
            })
            .map(|g| g.0)
            .collect();
        let mut merged = vec![o];
        for t in touches.into_iter().rev() {
            merged.extend(groups.remove(t));
        }
        groups.push(merged);
    }
    groups.len()
}

/// Does each wall go over into two others of the hollow?
fn ring(shop: &Shop, faces: &[u32]) -> bool {
    faces.iter().all(|&f| {
        let list = shop.at[f as usize].iter().map(|&e| &shop.part.edges[e]);
        list.filter(|e| faces.contains(&e.other(f)) && e.bend != Bend::Convex).count() >= 2
    })
}

/// No floor: a cut-out where the walls go round, inside corners of the outline where they do not.
fn walls_only(shop: &Shop, faces: &[u32], d: DVec3) -> Option<Draft> {
    let ring = ring(shop, faces);
    let (x, y) = frame(shop, faces, d);
    let (ax, bx) = shop.extent(faces, x);
    let (ay, by) = shop.extent(faces, y);
    let (s0, s1) = shop.span(faces, d);
    let deep = s1 - s0;
    let round = corner(shop, faces, d);
    let (mut length, mut width) = (bx - ax, by - ay);
    if length < width {
        std::mem::swap(&mut length, &mut width);
    }
    let mut out = if ring {
        let obround = round.is_some_and(|r| (2.0 * r - width).abs() < 0.02) && length > width + shop.same;
        let name = if obround { "Slot with round ends" } else { "Cut-out" };
        let mut c = Draft::new(
            FeatureKind::CutOut,
            format!("{name} {} × {}, through {}", len(number(length)), len(number(width)), len(number(deep))),
            faces.to_vec(),
        );
        c.dims = vec![mm("length", length), mm("width", width), mm("depth", deep)];
        c
    } else {
        let n = faces.iter().filter(|&&f| shop.normal(f).is_none()).count();
        let r = round.filter(|r| *r > 0.0);
        let slot = facing(shop, faces, d).filter(|_| faces.iter().filter(|&&f| shop.normal(f).is_some()).count() <= 3);
        match slot {
            Some((w, across)) => {
                let l = shop.extent(faces, d.cross(across));
                let mut c = Draft::new(
                    FeatureKind::Slot,
                    format!(
                        "Notch {} wide, {} deep, through {}",
                        len(number(w)),
                        len(number(l.1 - l.0)),
                        len(number(deep))
                    ),
                    faces.to_vec(),
                );
                c.dims = vec![mm("width", w), mm("length", l.1 - l.0), mm("depth", deep)];
                c
            }
            None => {
                let words = match (n, r) {
                    (0, _) => "Sharp inside corner of the outline".to_string(),
                    (1, Some(r)) => format!("Inside corner R{} of the outline", len(number(r))),
                    (n, Some(r)) => format!("{n} inside corners of the outline, smallest R{}", len(number(r))),
                    (n, None) => format!("{n} inside corners of the outline"),
                };
                let mut c = Draft::new(FeatureKind::Corner, words, faces.to_vec());
                c.dims = vec![mm("depth", deep)];
                c
            }
        }
    };
    if let Some(r) = round.filter(|r| *r > 0.0) {
        out.dims.push(mm("corner radius", r));
        if out.kind == FeatureKind::CutOut && (2.0 * r - width).abs() > 0.02 {
            out.what.push_str(&format!(", corners R{}", len(number(r))));
        }
        out.hard.push(hard(
            "corner radius",
            r,
            "mm",
            2.0,
            "cutter radius at most about 0.8 × corner radius (common practice, no source)",
        ));
    } else if round == Some(0.0) && out.kind != FeatureKind::Corner {
        out.what.push_str(", sharp corners");
    }
    out.axis = Some(Axis { origin: DVec3::ZERO, direction: d });
    out.looks = vec![d, -d];
    out.probes = faces.iter().flat_map(|&f| shop.samples(f, 4)).collect();
    out.corner = round;
    out.cutter_d = match round {
        Some(r) if r > 0.0 => Some((2.0 * r).min(width)),
        _ if ring => Some(width),
        _ => None,
    };
    out.deep = deep;
    out.size = deep;
    Some(out)
}

/// Covered from every side that looks into it: a T-slot, a dovetail, or another undercut, with the form of its cutter.
fn undercut(shop: &Shop, faces: &[u32], n: DVec3, floor: u32, x: DVec3, y: DVec3, deep: f64, taken: &[bool]) -> Draft {
    let slope = |f: u32| shop.normal(f).map_or(0.0, |m| m.dot(n));
    let roofs: Vec<u32> = faces.iter().copied().filter(|&f| slope(f) < -1.0 + 1e-6).collect();
    let leaning: Vec<u32> = faces.iter().copied().filter(|&f| slope(f) < -SQUARE && slope(f) > -1.0 + 1e-6).collect();
    let mut all = faces.to_vec();
    let (ax, bx) = shop.extent(faces, x);
    let (ay, by) = shop.extent(faces, y);
    if !roofs.is_empty() && leaning.is_empty() {
        let roof_at = roofs.iter().map(|&f| shop.span(&[f], n).0).fold(f64::INFINITY, f64::min);
        let floor_at = shop.span(&[floor], n).0;
        let height = roof_at - floor_at;
        // The neck's walls meet the roofs at outside corners.
        let neck: Vec<u32> = roofs
            .iter()
            .flat_map(|&f| shop.at[f as usize].iter().map(move |&e| (f, e)))
            .filter(|(_, e)| shop.part.edges[*e].bend == Bend::Convex)
            .map(|(f, e)| shop.part.edges[e].other(f))
            .filter(|&o| !taken[o as usize] && slope(o).abs() < SQUARE && shop.span(&[o], n).1 > roof_at + 1e-3)
            .collect();
        let gap = |list: &[u32]| facing(shop, list, n);
        if let (Some((neck_w, across)), Some((wide, _))) = (gap(&neck), gap(faces)) {
            let (l0, l1) = shop.span(faces, n.cross(across));
            let top = shop.span(&neck, n).1;
            all.extend(&neck);
            all.sort_unstable();
            all.dedup();
            let mut d = Draft::new(
                FeatureKind::TSlot,
                format!(
                    "T-slot {} wide × {} high under a neck {} wide, {} deep",
                    len(number(wide)),
                    len(number(height)),
                    len(number(neck_w)),
                    len(number(top - floor_at))
                ),
                all,
            );
            d.dims = vec![
                mm("width", wide),
                mm("height", height),
                mm("neck width", neck_w),
                mm("depth", top - floor_at),
                mm("length", l1 - l0),
            ];
            d.cutter = Some(format!(
                "T-slot cutter: head up to Ø{} × {} high, neck under Ø{}, reach {}",
                len(number(wide)),
                len(number(height)),
                len(number(neck_w)),
                len(number(top - floor_at))
            ));
            finish_covered(shop, &mut d, floor, n, height);
            return d;
        }
    }
    if !leaning.is_empty() && roofs.is_empty() {
        let lean = leaning.iter().map(|&f| slope(f)).fold(0.0, f64::min);
        // The angle at the floor, as dovetails are named.
        let angle = std::f64::consts::FRAC_PI_2 + lean.asin();
        let across = shop.normal(leaning[0]).map_or(y, |m| (m - n * m.dot(n)).normalize_or(y));
        let (a, b) = shop.span(faces, across);
        let (l0, l1) = shop.span(faces, n.cross(across));
        let wide = b - a;
        let mut d = Draft::new(
            FeatureKind::Undercut,
            format!(
                "Dovetail {}°, {} wide at the floor, {} deep",
                number(angle.to_degrees()),
                len(number(wide)),
                len(number(deep))
            ),
            all,
        );
        d.dims = vec![degrees("angle", angle), mm("width", wide), mm("depth", deep), mm("length", l1 - l0)];
        d.cutter =
            Some(format!("dovetail cutter of {}°, at least {} high", number(angle.to_degrees()), len(number(deep))));
        finish_covered(shop, &mut d, floor, n, deep);
        return d;
    }
    let mut d = Draft::new(
        FeatureKind::Undercut,
        format!("Undercut {} × {}, {} high", len(number(bx - ax)), len(number(by - ay)), len(number(deep))),
        all,
    );
    d.dims = vec![mm("length", bx - ax), mm("width", by - ay), mm("height", deep)];
    d.cutter = Some("a form cutter that passes the mouth, or another side: drawn and ordered".into());
    finish_covered(shop, &mut d, floor, n, deep);
    d
}

fn finish_covered(shop: &Shop, d: &mut Draft, floor: u32, n: DVec3, size: f64) {
    d.axis = Some(Axis { origin: DVec3::ZERO, direction: n });
    // With its own cutter it is cut from where one can look in at all.
    let seen: Vec<DVec3> = shop.samples(floor, 21).into_iter().filter(|p| shop.rays.first(*p, n).is_none()).collect();
    d.probes = if seen.is_empty() { shop.samples(floor, 12) } else { seen };
    d.looks = vec![n];
    d.corner = None;
    d.deep = size;
    d.size = size;
    d.hard.push(hard("needs a cutter of its own form", 1.0, "", 0.5, "no straight cutter reaches under (geometry)"));
}

/// Across-flats of hexagon nuts, mm (ISO 4032; from memory, 90 %).
const NUTS: [(&str, f64); 9] = [
    ("M2.5", 5.0),
    ("M3", 5.5),
    ("M4", 7.0),
    ("M5", 8.0),
    ("M6", 10.0),
    ("M8", 13.0),
    ("M10", 16.0),
    ("M12", 18.0),
    ("M16", 24.0),
];

/// Six-sided pockets with a hole in their middle become one feature with it. The first `holes` drafts are the holes.
pub fn nuts(shop: &Shop, drafts: &mut [Draft], holes: usize) {
    let mut gone: Vec<usize> = Vec::new();
    for k in holes..drafts.len() {
        if !matches!(drafts[k].kind, FeatureKind::Pocket | FeatureKind::Slot | FeatureKind::CutOut) {
            continue;
        }
        let Some(n) = drafts[k].axis.map(|a| a.direction) else { continue };
        let walls: Vec<(DVec3, f64)> = drafts[k]
            .faces
            .iter()
            .filter_map(|&f| match *shop.surface(f) {
                Surface::Plane { normal, offset } if normal.dot(n).abs() < SQUARE => Some((normal, offset)),
                _ => None,
            })
            .collect();
        let Some((centre, across)) = hexagon(&walls, n) else { continue };
        let hole = (0..holes).find(|h| {
            let Some(a) = drafts[*h].axis else { return false };
            a.direction.dot(n).abs() > 1.0 - 1e-6
                && (a.origin - centre).cross(n).length() < shop.same
                && !gone.contains(h)
        });
        let nut = NUTS.iter().find(|(_, s)| (across - s).abs() <= 0.06 * s && across > s - 0.02);
        let name = nut.map_or_else(|| "Hexagon pocket".to_string(), |(n, _)| format!("Pocket for a nut {n}"));
        let deep = drafts[k].deep;
        drafts[k].what = format!("{name}, {} across flats × {} deep", len(number(across)), len(number(deep)));
        drafts[k].dims = vec![mm("across flats", across), mm("depth", deep)];
        if let Some(h) = hole {
            let what = drafts[h].what.clone();
            let dia = drafts[h].size;
            let faces = drafts[h].faces.clone();
            drafts[k].what.push_str(&format!(", with {}", super::lower(&what)));
            drafts[k].dims.push(mm("hole diameter", dia));
            drafts[k].faces.extend(faces);
            drafts[h].of = vec![k];
            gone.push(h);
        }
        drafts[k].kind = FeatureKind::NutPocket;
        drafts[k].size = across;
    }
    gone.sort_unstable();
    // Holes that went into a nut's pocket keep their number, so that crossings still name the right one.
    for h in gone {
        drafts[h].faces.clear();
    }
}

/// Six walls 60° apart, opposite ones equally far: middle and distance across.
pub fn hexagon(walls: &[(DVec3, f64)], n: DVec3) -> Option<(DVec3, f64)> {
    if walls.len() != 6 {
        return None;
    }
    let x = walls[0].0;
    let y = n.cross(x);
    let mut by_angle: Vec<(f64, f64, DVec2)> = walls
        .iter()
        .map(|(m, o)| (m.dot(y).atan2(m.dot(x)).rem_euclid(std::f64::consts::TAU), *o, DVec2::new(m.dot(x), m.dot(y))))
        .collect();
    by_angle.sort_by(|a, b| a.0.total_cmp(&b.0));
    if by_angle.windows(2).any(|w| (w[1].0 - w[0].0 - std::f64::consts::FRAC_PI_3).abs() > 1e-3) {
        return None;
    }
    let across: Vec<f64> = (0..3).map(|k| (by_angle[k].1 + by_angle[k + 3].1).abs()).collect();
    if across.iter().any(|a| (a - across[0]).abs() > 1e-2) {
        return None;
    }
    // The middle lies half way between two pairs.
    let mid = |k: usize| (by_angle[k].1 - by_angle[k + 3].1) / 2.0;
    let (a, b) = (by_angle[0].2, by_angle[1].2);
    let det = a.perp_dot(b);
    let (p, q) = (mid(0), mid(1));
    let c = DVec2::new((p * b.y - q * a.y) / det, (q * a.x - p * b.x) / det);
    Some((x * c.x + y * c.y, across[0]))
}
