//! Thin walls, ribs and floors: two faces that look away from each other with little material between.
//!
//! Thickness is exact, from the faces; that there is material between is seen by rays. The height that counts is the free one: from the
//! support to the free edge, or to the middle where there is no free edge. Limit: thickness : height beyond about 1 : 10 (common practice, no source).

use super::stack::{lines, same_line};
use super::{Axis, Draft, FeatureKind, Shop, count, hard, mm, number};
use crate::{Bend, Surface};
use geom::DVec3;
use reason::len;

/// Ratios from which a wall is named.
const NAMED: f64 = 4.0;
/// Thicknesses below which it is named whatever its height, mm.
const THIN: f64 = 1.0;
/// The ratio that is hard.
const LIMIT: f64 = 10.0;

/// Find them.
pub fn find(shop: &Shop, drafts: &mut Vec<Draft>) {
    let planes: Vec<(u32, DVec3, f64)> = (0..shop.part.faces.len() as u32)
        .filter_map(|f| match *shop.surface(f) {
            Surface::Plane { normal, offset } => Some((f, normal, offset)),
            _ => None,
        })
        .collect();
    let longest = shop.part.bounds.size().max_element();
    let mut found: Vec<Draft> = Vec::new();
    for (i, a) in planes.iter().enumerate() {
        for b in &planes[i + 1..] {
            let t = a.2 + b.2;
            if a.1.dot(b.1) > -1.0 + 1e-6 || t <= 1e-3 || t > longest / 3.0 {
                continue;
            }
            if let Some(d) = between(shop, a.0, b.0, a.1, t) {
                found.push(d);
            }
        }
    }
    tubes(shop, &mut found);
    // The same wall told by several pairs of faces in the same two planes is one.
    let mut kept: Vec<Draft> = Vec::new();
    for d in found {
        let twin = kept
            .iter_mut()
            .find(|k| k.kind == d.kind && k.what == d.what && k.faces.iter().any(|f| d.faces.contains(f)));
        match twin {
            Some(k) => {
                k.faces.extend(d.faces.iter().filter(|f| !k.faces.contains(f)).copied().collect::<Vec<_>>());
            }
            None => kept.push(d),
        }
    }
    drafts.extend(kept);
}

fn between(shop: &Shop, a: u32, b: u32, n: DVec3, t: f64) -> Option<Draft> {
    let (x, y) = super::face_frame(shop, a, n);
    let common = |d: DVec3| {
        let (p, q) = (shop.span(&[a], d), shop.span(&[b], d));
        (p.0.max(q.0), p.1.min(q.1))
    };
    let (cx, cy) = (common(x), common(y));
    let (ex, ey) = (cx.1 - cx.0, cy.1 - cy.0);
    if ex < 1e-3 || ey < 1e-3 {
        return None;
    }
    // Quickly: even the whole overlap makes no thin wall.
    if ex.min(ey) / t < NAMED && t > THIN {
        return None;
    }
    // Material between, at places spread over the overlap, over a fair part of those that lie on the first face.
    let level = shop.points(a).next().map_or(0.0, |p| p.dot(n));
    let grid = |c: (f64, f64), k: u32| c.0 + (c.1 - c.0) * (f64::from(k) + 0.37) / 8.0;
    let (mut inside, mut through) = (0, 0);
    for i in 0..8 {
        for j in 0..8 {
            let p = x * grid(cx, i) + y * grid(cy, j) + n * level;
            if shop.rays.first(p + n * 0.01, -n).is_none_or(|(d, f)| f != a || d > 0.02) {
                continue;
            }
            inside += 1;
            through +=
                usize::from(shop.rays.thickness(p, n).is_some_and(|(d, f)| f == b && (d - t).abs() < 0.01 + 1e-3 * t));
        }
    }
    if inside == 0 || 4 * through < inside {
        return None;
    }
    // Which of its four borders are held: an inside corner at either face along them.
    let held = |d: DVec3, at: f64, other: DVec3, span: (f64, f64)| {
        let length: f64 = [a, b]
            .iter()
            .flat_map(|&f| shop.at[f as usize].iter().map(move |&e| (f, e)))
            .map(|(f, e)| (f, &shop.part.edges[e]))
            .filter(|(f, e)| e.bend == Bend::Concave || (e.bend == Bend::Smooth && shop.surface(e.other(*f)).hollow()))
            .filter(|(_, e)| {
                let s: Vec<DVec3> = e.points.iter().map(|&k| shop.part.mesh.points[k as usize]).collect();
                let off = |p: &DVec3| (p.dot(d) - at).abs();
                // A blend's edge lies its radius off the border.
                !s.is_empty() && s.iter().all(|p| off(p) < 0.15 * (span.1 - span.0).max(ex.min(ey)) + 1e-3)
            })
            .map(|(_, e)| {
                let s = e.points.iter().map(|&k| shop.part.mesh.points[k as usize].dot(other));
                let (lo, hi) = s.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(v), h.max(v)));
                (hi.min(span.1) - lo.max(span.0)).max(0.0)
            })
            .fold(0.0, f64::max);
        length > 0.5 * (span.1 - span.0)
    };
    let hx = [held(x, cx.0, y, cy), held(x, cx.1, y, cy)];
    let hy = [held(y, cy.0, x, cx), held(y, cy.1, x, cx)];
    // From the support to the free edge; without a free edge, to the middle.
    let to_edge = |e: f64, h: [bool; 2]| if h[0] == h[1] { f64::INFINITY } else { e };
    let to_middle = |e: f64, h: [bool; 2]| if h == [true, true] { e / 2.0 } else { f64::INFINITY };
    let height = to_edge(ex, hx).min(to_edge(ey, hy));
    let height = if height.is_finite() { height } else { to_middle(ex, hx).min(to_middle(ey, hy)) };
    let holds = hx.iter().chain(&hy).filter(|h| **h).count();
    if holds == 0 {
        // The part itself, or a plate of it: told only when it is thin all over.
        let ratio = ex.max(ey) / t;
        if ratio < 20.0 {
            return None;
        }
        let mut d = draft(
            FeatureKind::Wall,
            format!("Thin plate {} over {}", number(t), number(ex.max(ey))),
            a,
            b,
            n,
            t,
            ex.max(ey),
        );
        d.hard.push(hard("length ÷ thickness", ratio, "×", 25.0, "thin against its length: it bends under its clamps and springs when skins are cut (common practice, no source)"));
        return Some(d);
    }
    let ratio = height / t;
    if ratio < NAMED && t > THIN || ratio < 1.5 {
        return None;
    }
    let kind =
        if holds >= 3 && hx == [true, true] && hy == [true, true] { FeatureKind::Floor } else { FeatureKind::Wall };
    let what = if kind == FeatureKind::Floor {
        format!("Floor {} thick, {} × {} open", len(number(t)), len(number(ex.max(ey))), len(number(ex.min(ey))))
    } else {
        format!("Wall {} thick, {} high, 1 : {}", len(number(t)), len(number(height)), number(ratio))
    };
    let mut d = draft(kind, what, a, b, n, t, height);
    d.hard.push(hard(
        "height ÷ thickness",
        ratio,
        "×",
        LIMIT,
        "beyond about 10 cut it last, lighter, from the top down on alternating sides (common practice, no source)",
    ));
    d.dims.push(count("held borders", holds));
    Some(d)
}

fn draft(kind: FeatureKind, what: String, a: u32, b: u32, n: DVec3, t: f64, height: f64) -> Draft {
    let mut d = Draft::new(kind, what, vec![a, b]);
    d.dims = vec![mm("thickness", t), mm("height", height)];
    d.axis = Some(Axis { origin: DVec3::ZERO, direction: super::stack::line_of(DVec3::ZERO, n).1 });
    d.size = t;
    d
}

/// Walls of tubes: a round outside about a round inside.
fn tubes(shop: &Shop, out: &mut Vec<Draft>) {
    let outside = lines(shop, false);
    for (line, holes) in lines(shop, true) {
        let Some((_, rounds)) = outside.iter().find(|o| same_line(&o.0, &line, shop.same)) else { continue };
        for h in holes.iter().filter(|p| p.cover > 0.9) {
            for r in rounds.iter().filter(|p| p.cover > 0.9) {
                let (t, long) = (r.r[0].min(r.r[1]) - h.r[0].max(h.r[1]), r.s[1].min(h.s[1]) - r.s[0].max(h.s[0]));
                if t <= 1e-3 || long / t < NAMED && t > THIN || long < 1.5 * t {
                    continue;
                }
                let mut d = Draft::new(
                    FeatureKind::Wall,
                    format!(
                        "Tube wall {} thick, {} long, about Ø{}",
                        len(number(t)),
                        len(number(long)),
                        len(number(2.0 * h.r[0]))
                    ),
                    h.faces.iter().chain(&r.faces).copied().collect(),
                );
                d.dims = vec![mm("thickness", t), mm("height", long), mm("diameter", 2.0 * h.r[0])];
                d.axis = Some(Axis { origin: line.0, direction: line.1 });
                d.size = t;
                d.hard.push(hard(
                    "length ÷ thickness",
                    long / t,
                    "×",
                    LIMIT,
                    "a thin tube gives way under the jaws and the tool: hold it inside or in soft jaws (common practice, no source)",
                ));
                out.push(d);
            }
        }
    }
}
