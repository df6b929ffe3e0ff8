//! What nothing may enter: boxes that hold the work, and solids that stand beside the part.

use crate::cut::{self, Tops};
use crate::dexel::Field;
use crate::run::{Gather, TOUCH, times, to_place};
use crate::sweep::{Sweep, Track};
use crate::{Body, KeepOut, Standing, When};
use geom::{Box3, DVec2, Placement, RayGrid, TriMesh};
use program::{Step, StepKind};
use reason::{Kind, Severity, Sure, len};
use shop::tool::Tool;

/// Smallest distance between a segment and a rectangle in the plane.
fn segment_rect(a: DVec2, b: DVec2, lo: DVec2, hi: DVec2) -> f64 {
    let point = |p: DVec2| (p - p.clamp(lo, hi)).length();
    let d = b - a;
    let seg = |p: DVec2| {
        let l2 = d.length_squared();
        let t = if l2 > 0.0 { ((p - a).dot(d) / l2).clamp(0.0, 1.0) } else { 0.0 };
        p.distance(a + d * t)
    };
    let corners = [lo, DVec2::new(hi.x, lo.y), hi, DVec2::new(lo.x, hi.y)];
    // Does the segment pass through the rectangle?
    let (mut t0, mut t1) = (0.0_f64, 1.0_f64);
    let mut outside = false;
    for k in 0..2 {
        if d[k].abs() < 1e-15 {
            outside |= a[k] < lo[k] || a[k] > hi[k];
        } else {
            let (p, q) = ((lo[k] - a[k]) / d[k], (hi[k] - a[k]) / d[k]);
            t0 = t0.at_least(p.at_most(q));
            t1 = t1.at_most(p.at_least(q));
        }
    }
    if !outside && t0 <= t1 {
        return 0.0;
    }
    corners.into_iter().map(seg).fold(point(a).at_most(point(b)), Sure::at_most)
}

/// Cutter, shank and holder against boxes: jaws, parallels.
pub(crate) fn check(
    s: &Sweep,
    tool: &Tool,
    step: &Step,
    keep_out: &[KeepOut],
    stops: u32,
    gather: &mut Gather,
    part_from_work: &Placement,
) {
    if keep_out.is_empty() {
        return;
    }
    let mut bodies = vec![("cutter", tool.radius(), 0.0, tool.flute_length_mm)];
    for (r, from, to) in tool.dead_body() {
        bodies.push((if from >= tool.stickout_mm - 1e-9 { "holder" } else { "shank" }, r, from, to));
    }
    let (lo, hi) = s.bounds2();
    for k in keep_out {
        for &(name, r, from, to) in &bodies {
            if !k.when.now(stops, step.line) {
                continue;
            }
            // What is there to be cut is looked at as columns.
            if k.may_cut_mm > 0.0 && name == "cutter" {
                continue;
            }
            if s.z_min() + from >= k.max.z - 1e-6 || s.z_max() + to <= k.min.z + 1e-6 {
                continue;
            }
            if lo.x - r >= k.max.x || hi.x + r <= k.min.x || lo.y - r >= k.max.y || hi.y + r <= k.min.y {
                continue;
            }
            let n = if matches!(s.track, Track::Arc { .. }) || !s.level() {
                (s.length2() / 0.5).at_least((s.z1 - s.z0).abs() / 0.5).ceil().clamp(1.0, 4000.0) as usize
            } else {
                1
            };
            for i in 0..n {
                let (t0, t1) = (i as f64 / n as f64, (i + 1) as f64 / n as f64);
                let (z0, z1) = (s.z(t0).at_most(s.z(t1)), s.z(t0).at_least(s.z(t1)));
                if z0 + from >= k.max.z - 1e-6 || z1 + to <= k.min.z + 1e-6 {
                    continue;
                }
                let (a, b) = (s.point(t0), s.point(t1));
                let d = segment_rect(a, b, k.min.truncate(), k.max.truncate());
                // A cutter's point is narrower low down, a dovetail cutter high up.
                let reach = if name == "cutter" { tool.widest(k.min.z - z1, k.max.z - z0) } else { r };
                if d < reach - 1e-4 {
                    let (label, t, deep) = (k.name.clone(), step.tool, reach - d);
                    let around = Box3 {
                        min: (a.min(b) - DVec2::splat(r)).max(k.min.truncate()).extend((z0 + from).at_least(k.min.z)),
                        max: (a.max(b) + DVec2::splat(r)).min(k.max.truncate()).extend((z1 + to).at_most(k.max.z)),
                    };
                    let severity = Severity::Stop;
                    gather.add(
                        (kind_of(name), t, &k.name),
                        severity,
                        step.line,
                        deep,
                        Some(to_place(part_from_work, &around)),
                        move |w, c| format!("The {name} of T{t} runs into the {label} by {w:.2} mm{}", times(c)),
                        "Raise the part, move what holds it, or take the cut from another side.",
                    );
                    break;
                }
            }
        }
    }
}

/// Of a body of the tool that enters what holds the part.
fn kind_of(body: &str) -> Kind {
    match body {
        "cutter" => Kind::CutterInKeepOut,
        "shank" => Kind::ShankInKeepOut,
        _ => Kind::HolderInKeepOut,
    }
}

/// A body that is there to be cut, a little: a pallet.
pub(crate) struct Sacrificed {
    name: String,
    when: When,
    field: Field,
    top: f64,
    may_cut: f64,
}

impl Sacrificed {
    /// None where nothing may be cut into it.
    pub(crate) fn of(k: &KeepOut) -> Option<Sacrificed> {
        let bounds = Box3 { min: k.min, max: k.max };
        let size = bounds.size();
        let pitch = (size.x * size.y / 120_000.0).sqrt().clamp(0.05, 0.5);
        (k.may_cut_mm > 0.0).then(|| Sacrificed {
            name: k.name.clone(),
            when: k.when,
            field: Field::of_box(RayGrid::covering(2, &bounds, pitch), &bounds),
            top: k.max.z,
            may_cut: k.may_cut_mm,
        })
    }

    /// A cutting cutter may go so deep; a rapid only where it is cut already.
    pub(crate) fn check(
        &mut self,
        s: &Sweep,
        tool: &Tool,
        step: &Step,
        stops: u32,
        gather: &mut Gather,
        part_from_work: &Placement,
    ) {
        if s.z_min() >= self.top || !self.when.now(stops, step.line) {
            return;
        }
        let t = cut::cut(&mut self.field, s, tool);
        let cuts = matches!(step.kind, StepKind::Feed { .. });
        let deep = if cuts { self.top - self.may_cut - t.bounds.min.z } else { t.longest };
        if t.longest <= TOUCH || deep <= TOUCH {
            return;
        }
        let (number, name) = (step.tool, self.name.clone());
        gather.add(
            (Kind::CutterInKeepOut, number, &self.name),
            Severity::Stop,
            step.line,
            deep,
            Some(to_place(part_from_work, &t.bounds)),
            move |w, c| {
                if cuts {
                    format!("T{number} cuts {w:.2} mm deeper into the {name} than it may{}", times(c), w = len(w))
                } else {
                    format!("T{number} runs into the {name} at rapid, {w:.2} mm of it{}", times(c), w = len(w))
                }
            },
            "It may be cut into so deep and no deeper, and only at feed: raise the part, or take a thicker one.",
        );
    }
}

/// A solid beside the part, or one that holds it, as columns: what a cutter would take from it, and what a shank or a holder meets.
pub(crate) struct Beside {
    name: String,
    when: When,
    /// Where it is, and what to do where it is met.
    words: [&'static str; 2],
    field: Field,
    tops: Tops,
    bounds: Box3,
}

impl Beside {
    /// What stands beside the part.
    pub(crate) fn standing(s: &Standing, work_from_part: &Placement) -> Beside {
        let what_to_do = "It stands there while the part is machined (Part ticket): take it away, use a longer stick-out, or cut from another side.";
        Beside::new(&s.name, &s.mesh.placed(work_from_part), [" beside the part", what_to_do])
    }

    /// What holds it.
    pub(crate) fn holding(b: &Body) -> Beside {
        let what_to_do = "Raise the part, move what holds it, or take the cut from another side.";
        Beside { when: b.when, ..Beside::new(&b.name, &b.mesh, ["", what_to_do]) }
    }

    fn new(name: &str, mesh: &TriMesh, words: [&'static str; 2]) -> Beside {
        let bounds = mesh.bounds();
        let size = bounds.size();
        let pitch = (size.x * size.y / 60_000.0).sqrt().clamp(0.05, 0.5);
        let field = Field::of_mesh(RayGrid::covering(2, &bounds, pitch), mesh);
        Beside { name: name.into(), when: When::Always, words, tops: Tops::new(&field), field, bounds }
    }

    pub(crate) fn check(
        &mut self,
        s: &Sweep,
        tool: &Tool,
        step: &Step,
        stops: u32,
        gather: &mut Gather,
        part_from_work: &Placement,
    ) {
        if s.z_min() >= self.bounds.max.z || !self.when.now(stops, step.line) {
            return;
        }
        let mut met = |body: &str, deep: f64, b: &Box3| {
            let (kind, t, name, [place, what_to_do]) = (kind_of(body), step.tool, self.name.clone(), self.words);
            let body = body.to_string();
            gather.add(
                (kind, t, &self.name),
                Severity::Stop,
                step.line,
                deep,
                Some(to_place(part_from_work, b)),
                move |w, c| {
                    format!("The {body} of T{t} runs into '{name}'{place}, {w:.2} mm of it{}", times(c), w = len(w))
                },
                what_to_do,
            );
        };
        let t = cut::cut(&mut self.field, s, tool);
        if t.longest > TOUCH {
            met("cutter", t.longest, &t.bounds);
        }
        for (r, from, to) in tool.dead_body() {
            if let Some((deep, b)) = self.tops.meets(&self.field, s, r - TOUCH, from, to)
                && deep > TOUCH
            {
                met(if from >= tool.stickout_mm - 1e-9 { "holder" } else { "shank" }, deep, &b);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn segments_and_rectangles() {
        let v = DVec2::new;
        let (lo, hi) = (v(0.0, 0.0), v(10.0, 5.0));
        assert_eq!(segment_rect(v(-5.0, 2.0), v(15.0, 2.0), lo, hi), 0.0);
        assert_eq!(segment_rect(v(2.0, 2.0), v(3.0, 3.0), lo, hi), 0.0);
        assert_eq!(segment_rect(v(-5.0, 8.0), v(15.0, 8.0), lo, hi), 3.0);
        assert!((segment_rect(v(13.0, 9.0), v(20.0, 20.0), lo, hi) - 5.0).abs() < 1e-12);
        assert!((segment_rect(v(-4.0, 4.0), v(4.0, -4.0), v(3.0, 3.0), v(6.0, 6.0)) - 18f64.sqrt()).abs() < 1e-9);
    }
}
