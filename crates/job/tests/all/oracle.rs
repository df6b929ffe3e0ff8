//! Plans against a slow, obvious oracle that shares nothing with the proof: random points of the block, each asked "did the
//! cutter ever cover you?" at closely spaced positions of the posted text, and "are you in the part?" by counting crossings.

use crate::family;

use geom::DVec3;
use job::{Settled, plan, prove_plan};
use part::Part;
use program::{ReadSettings, StepKind};
use shop::Shop;
use shop::tool::Tool;

pub fn read(shape: &kernel::shape::Shape) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

/// Which of some points (work coordinates) a program's cutters cover somewhere, at closely spaced positions of its text.
pub fn covered(points: &[DVec3], text: &str, zero: DVec3, tools: &[Tool]) -> Vec<bool> {
    const STEP: f64 = 0.15;
    let text = program::read(text, &ReadSettings { zero_in_machine: zero, ..Default::default() }).unwrap();
    let mut gone = vec![false; points.len()];
    for s in text.steps.iter().filter(|s| matches!(s.kind, StepKind::Feed { .. })) {
        let tool = tools.iter().find(|t| t.number == s.tool).unwrap();
        let n = (s.length() / STEP).ceil().max(1.0) as usize;
        let centre = s.at(0.5);
        let reach = s.length() + tool.radius();
        for (k, q) in points.iter().enumerate() {
            if gone[k] || q.truncate().distance(centre.truncate()) > reach {
                continue;
            }
            gone[k] = (0..=n).any(|i| {
                let c = s.at(i as f64 / n as f64);
                let h = q.z - c.z;
                h >= 0.0 && h <= tool.flute_length_mm && q.truncate().distance(c.truncate()) <= tool.radius_at(h)
            });
        }
    }
    gone
}

/// Parity of crossings with a ray in an odd direction (Möller & Trumbore 1997).
fn inside(p: &Part, q: DVec3) -> bool {
    let d = DVec3::new(0.5773, 0.2113, 0.7886).normalize();
    let mut hits = 0;
    for t in 0..p.mesh.triangles.len() {
        let [a, b, c] = p.mesh.corners(t);
        let (e1, e2) = (b - a, c - a);
        let h = d.cross(e2);
        let det = e1.dot(h);
        if det.abs() < 1e-14 {
            continue;
        }
        let s = (q - a) / det;
        let u = s.dot(h);
        let k = s.cross(e1);
        let v = d.dot(k);
        hits += usize::from(u >= 0.0 && v >= 0.0 && u + v <= 1.0 && e2.dot(k) > 0.0);
    }
    hits % 2 == 1
}

/// Distance to the nearest triangle, by closest points of triangles (Ericson 2005).
fn distance(p: &Part, q: DVec3) -> f64 {
    let mut best = f64::INFINITY;
    for t in 0..p.mesh.triangles.len() {
        let [a, b, c] = p.mesh.corners(t);
        let lo = a.min(b).min(c);
        let hi = a.max(b).max(c);
        if (q - q.clamp(lo, hi)).length() >= best {
            continue;
        }
        best = best.min(q.distance(closest(q, a, b, c)));
    }
    best
}

fn closest(p: DVec3, a: DVec3, b: DVec3, c: DVec3) -> DVec3 {
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return a;
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return b;
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        return a + ab * (d1 / (d1 - d3));
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return c;
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        return a + ac * (d2 / (d2 - d6));
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    }
    let k = 1.0 / (va + vb + vc);
    a + ab * (vb * k) + ac * (vc * k)
}

/// Random points of the block, cut by the texts of all sides, agree with the part: what is in it stands, what is outside is gone, or is named by the proof.
pub fn agrees(part: &Part, planned: &job::Plan, proof: &proof::Proof, dice: &mut family::Dice, told: &str) {
    // Of a bar what the saw leaves with the piece.
    let sawn = planned.sides.iter().filter_map(|s| s.setup.sawn);
    let b = sawn.fold(planned.scheme.stock, |b, s| b.common(&s.left));
    // Little is cut off a bar.
    let many = if planned.scheme.bar.is_some() { 5000 } else { 1500 };
    let points: Vec<DVec3> = (0..many)
        .map(|_| {
            DVec3::new(dice.between(b.min.x, b.max.x), dice.between(b.min.y, b.max.y), dice.between(b.min.z, b.max.z))
        })
        .filter(|p| planned.scheme.bar.is_none_or(|bar| bar.contains(*p)))
        .collect();
    let mut gone = vec![false; points.len()];
    for side in &planned.sides {
        let back = side.setup.part_from_work.inverse();
        let here: Vec<DVec3> = points.iter().map(|p| back.point(*p)).collect();
        let now = covered(&here, &side.program, side.setup.zero_in_machine, &side.tools);
        gone.iter_mut().zip(now).for_each(|(g, n)| *g |= n);
    }
    // Chords of the sampled positions are 0.15 mm: a point this near the surface proves nothing.
    const NEAR: f64 = 0.02;
    let named = |p: DVec3| proof.findings.iter().any(|f| f.places.iter().any(|q| q.contains(p, 0.05)));
    let (mut cut_away, mut kept) = (0, 0);
    for (p, gone) in points.iter().zip(&gone) {
        let deep = distance(part, *p);
        if inside(part, *p) {
            kept += 1;
            assert!(!gone || deep < NEAR || named(*p), "{told}: {p} is in the part, {deep} deep, and cut away");
        } else {
            cut_away += usize::from(*gone);
            assert!(*gone || deep < 0.1 || named(*p), "{told}: {p} is outside the part by {deep} and was left unnamed");
        }
    }
    assert!(cut_away > 200 && kept > 200, "{told}: {cut_away} {kept}");
}

#[test]
fn random_points_agree_with_the_proof() {
    let shop = Shop::demo().unwrap();
    for seed in [1, 7, 24] {
        let part = read(&family::part(seed).unwrap());
        let planned = plan(&part, "family", &shop, &Settled::default()).unwrap().plan;
        let proof = prove_plan(&part, &planned, &shop).unwrap();
        agrees(&part, &planned, &proof, &mut family::Dice::new(1000 + seed), &format!("seed {seed}"));
    }
}
