//! Chamfers, rounds and fillets, and what no other recogniser took: free forms, slanted and plain faces.

use super::{
    Axis, Body, BodyKind, Draft, FeatureKind, Shop, degrees, direction_name, direction_words, hard, mm, number,
};
use crate::{Bend, Surface};
use geom::{DIRECTIONS, DVec3};
use reason::len;

/// Wider than this a bevel is a face, mm.
const WIDEST_CHAMFER: f64 = 6.0;

fn known(drafts: &[Draft], f: u32) -> bool {
    drafts.iter().any(|d| d.faces.contains(&f))
}

/// Connected faces of a list, by shared edges.
fn groups(shop: &Shop, list: &[(u32, i64)]) -> Vec<Vec<u32>> {
    let mut left: Vec<(u32, i64)> = list.to_vec();
    let mut out = Vec::new();
    while let Some(first) = left.pop() {
        let mut group = vec![first.0];
        let mut next = 0;
        while next < group.len() {
            let f = group[next];
            next += 1;
            for &e in &shop.at[f as usize] {
                let o = shop.part.edges[e].other(f);
                if let Some(k) = left.iter().position(|l| l.0 == o && l.1 == first.1) {
                    group.push(left.swap_remove(k).0);
                }
            }
        }
        group.sort_unstable();
        out.push(group);
    }
    out.sort();
    out
}

/// Chamfers, rounds and fillets.
pub fn find(shop: &Shop, drafts: &mut Vec<Draft>) {
    let mut bevels: Vec<(u32, i64)> = Vec::new();
    let mut sizes: std::collections::HashMap<u32, (f64, f64)> = std::collections::HashMap::new();
    let mut rounds: Vec<(u32, i64)> = Vec::new();
    let mut fillets: Vec<(u32, i64)> = Vec::new();
    let key = |v: f64| (v * 1e3).round() as i64;
    for f in 0..shop.part.faces.len() as u32 {
        if known(drafts, f) {
            continue;
        }
        if let Some((wide, angle)) = bevel(shop, f) {
            bevels.push((f, key(wide) * 1000 + (angle.to_degrees() * 2.0).round() as i64));
            sizes.insert(f, (wide, angle));
            continue;
        }
        let smooth = shop.at[f as usize].iter().filter(|&&e| shop.part.edges[e].bend == Bend::Smooth).count();
        let part_turn = shop.part.faces[f as usize].turn < 3.3;
        let r = match *shop.surface(f) {
            Surface::Cylinder { radius, hollow, .. } if part_turn => Some((radius, hollow)),
            Surface::Torus { minor, hollow, .. } => Some((minor, hollow)),
            Surface::Sphere { radius, hollow, .. } => Some((radius, hollow)),
            _ => None,
        };
        if let Some((r, hollow)) = r.filter(|_| smooth > 0) {
            if hollow { fillets.push((f, key(r))) } else { rounds.push((f, key(r))) }
        }
    }
    for g in groups(shop, &bevels) {
        let (wide, angle) = sizes[&g[0]];
        let mut d = Draft::new(
            FeatureKind::Chamfer,
            format!("Chamfer {} × {}°", len(number(wide)), number(angle.to_degrees())),
            g.clone(),
        );
        d.dims = vec![mm("size", wide), degrees("angle", angle)];
        open_sides(shop, &mut d);
        d.size = wide;
        drafts.push(d);
    }
    for (list, kind, name) in [(rounds, FeatureKind::Round, "Round"), (fillets, FeatureKind::Fillet, "Fillet")] {
        for g in groups(shop, &list) {
            let r = match *shop.surface(g[0]) {
                Surface::Cylinder { radius, .. } | Surface::Sphere { radius, .. } => radius,
                Surface::Torus { minor, .. } => minor,
                _ => 0.0,
            };
            let mut d = Draft::new(kind, format!("{name} R{}", len(number(r))), g.clone());
            d.dims = vec![mm("radius", r)];
            open_sides(shop, &mut d);
            d.size = r;
            drafts.push(d);
        }
    }
}

/// Directions from which all of a feature's faces can be seen and reached.
fn open_sides(shop: &Shop, d: &mut Draft) {
    let probes: Vec<DVec3> = d.faces.iter().flat_map(|&f| shop.samples(f, 3)).take(40).collect();
    let looks = |way: DVec3| {
        d.faces.iter().all(|&f| {
            let r = shop.part.faces[f as usize].triangles.clone();
            let step = (r.len() / 12).max(1);
            r.step_by(step).all(|t| shop.part.mesh.normal(t).normalize_or_zero().dot(way) > -0.02)
        })
    };
    d.looks = DIRECTIONS.iter().map(|x| x.0).filter(|w| looks(*w)).collect();
    d.probes = probes;
}

/// Width against the nearer face and angle of a bevel: a narrow flat or cone between two faces, bulging at both long edges.
fn bevel(shop: &Shop, f: u32) -> Option<(f64, f64)> {
    let face = &shop.part.faces[f as usize];
    let plain = match face.surface {
        Surface::Plane { .. } => true,
        Surface::Cone { .. } => false,
        _ => return None,
    };
    let mut edges: Vec<&crate::Edge> =
        shop.at[f as usize].iter().map(|&e| &shop.part.edges[e]).filter(|e| e.bend == Bend::Convex).collect();
    edges.sort_by(|a, b| b.length.total_cmp(&a.length));
    let [a, b, ..] = edges[..] else { return None };
    let long = a.length.min(b.length);
    let width = face.area / f64::midpoint(a.length, b.length).max(1e-9);
    // Two bends that make one corner between them, each less than square.
    let fits = |t: f64| (0.17..1.4).contains(&t);
    if width > WIDEST_CHAMFER
        || (plain && width > 0.7 * long)
        || !fits(a.turn)
        || !fits(b.turn)
        || a.turn + b.turn > 2.7
    {
        return None;
    }
    let others = shop.at[f as usize]
        .iter()
        .any(|&e| shop.part.edges[e].bend == Bend::Concave && shop.part.edges[e].length > 0.5 * long);
    if others {
        return None;
    }
    // Measured along the face from which it turns less, as drawings do.
    let angle = a.turn.min(b.turn);
    Some(((width * angle.cos() * 1e4).round() / 1e4, angle))
}

/// What is left: free forms, slanted faces, plain faces.
pub fn rest(shop: &Shop, body: &Body, drafts: &mut Vec<Draft>) {
    let mut free: Vec<(u32, i64)> = Vec::new();
    for f in 0..shop.part.faces.len() as u32 {
        if known(drafts, f) {
            continue;
        }
        let face = &shop.part.faces[f as usize];
        let mut d = match face.surface {
            Surface::Plane { normal, .. } => {
                let (x, y) = super::face_frame(shop, f, normal);
                let (a, b) = shop.span(&[f], x);
                let (p, q) = shop.span(&[f], y);
                let (l, w) = ((b - a).max(q - p), (b - a).min(q - p));
                let slanted = direction_name(normal) == "slanted";
                let kind = if slanted { FeatureKind::Slanted } else { FeatureKind::Face };
                let what = if slanted {
                    format!("Inclined face {} × {}, looks {}", len(number(l)), len(number(w)), direction_words(normal))
                } else {
                    format!("Face {} × {}, looks to {}", len(number(l)), len(number(w)), direction_name(normal))
                };
                let mut d = Draft::new(kind, what, vec![f]);
                d.dims = vec![mm("length", l), mm("width", w)];
                d.axis = Some(Axis { origin: shop.samples(f, 1)[0], direction: normal });
                // Seen square, or from its edge: an outline's wall is cut from above.
                d.looks = vec![normal];
                if slanted {
                    d.looks.extend(DIRECTIONS.iter().map(|x| x.0).filter(|w| w.dot(normal).abs() < 1e-6));
                }
                d.probes = shop.samples(f, 8);
                d.size = l;
                d
            }
            Surface::Free => {
                free.push((f, 0));
                continue;
            }
            ref s => {
                let mut d = Draft::new(FeatureKind::Slanted, super::face_words(s, face.turn), vec![f]);
                d.axis = s.axis().map(|(o, a)| Axis { origin: o, direction: a });
                let turn = matches!(s, Surface::Cylinder { .. }) && face.turn < 3.3;
                if let (true, Surface::Cylinder { radius, hollow, .. }) = (turn, s) {
                    d.kind = if *hollow { FeatureKind::Corner } else { FeatureKind::Round };
                    d.dims = vec![mm("radius", *radius)];
                    if *hollow {
                        d.what = format!("Round notch R{}", len(number(*radius)));
                        d.corner = Some(*radius);
                        d.cutter_d = Some(2.0 * radius);
                    }
                }
                open_sides(shop, &mut d);
                d.size = face.area.sqrt();
                d
            }
        };
        // A shoulder is faced while the part turns, also at the bottom of a groove.
        d.turned = matches!(body.kind, BodyKind::Turned) && body.turned_faces.contains(&f);
        drafts.push(d);
    }
    for g in groups(shop, &free) {
        let smallest = g.iter().filter_map(|&f| shop.part.faces[f as usize].concave_radius).reduce(f64::min);
        let area: f64 = g.iter().map(|&f| shop.part.faces[f as usize].area).sum();
        let what = match smallest {
            Some(r) => format!(
                "Free-form, {} face{}, hollow down to R{}",
                g.len(),
                if g.len() > 1 { "s" } else { "" },
                len(number(r))
            ),
            None => format!("Free-form, {} face{}, nowhere hollow", g.len(), if g.len() > 1 { "s" } else { "" }),
        };
        let mut d = Draft::new(FeatureKind::Free, what, g.clone());
        d.dims = vec![super::Dim { name: "area".into(), value: area, unit: "mm²".into() }];
        if let Some(r) = smallest {
            d.dims.push(mm("smallest hollow radius", r));
            d.hard.push(hard(
                "smallest hollow radius",
                r,
                "mm",
                3.0,
                "a ball cutter must be smaller than this (geometry); from about R3 down it is slow (common practice)",
            ));
        }
        d.hard.push(hard(
            "surface cut in lines",
            1.0,
            "",
            1.0,
            "a ball or bull-nosed cutter in close lines (common practice)",
        ));
        open_sides(shop, &mut d);
        d.size = area.sqrt();
        drafts.push(d);
    }
}
