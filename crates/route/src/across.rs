//! What a cutter leaves in a corner may lie open to another side.

use crate::setup::Work;
use geom::{Box3, DVec3, RayGrid, Region};
use reason::{Finding, Kind, Sure};
use serde::{Deserialize, Serialize};

/// Something left here that lies open to a direction across.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Elsewhere {
    /// The finding that names it.
    pub finding: String,
    /// What names it if a setup that looks from there leaves it too.
    pub otherwise: Finding,
    /// Where it is seen from, part coordinates.
    pub from: DVec3,
    /// Boxes around it, part coordinates.
    pub boxes: Vec<Box3>,
}

/// Open from this share of what is left on.
const OPEN: f64 = 0.9;

impl Work<'_, '_> {
    /// The direction across (work coordinates) from which what is left between two heights lies open.
    fn open_across(&self, left: &Region, low: f64, high: f64) -> Option<DVec3> {
        let mesh = &self.side.view.mesh;
        let (a, b) = left.bounds()?;
        let body = Box3 { min: a.extend(low), max: b.extend(high) };
        let pitch = (body.size().min_element() / 5.0).clamp(0.05, 1.0);
        let mut best: Option<(f64, DVec3)> = None;
        for axis in [0, 1] {
            let grid = RayGrid::covering(axis, &body, pitch);
            let n = (body.size()[axis] / pitch).ceil().at_least(1.0);
            let (mut all, mut open) = (0, [0, 0]);
            for (k, ray) in mesh.crossings(&grid).iter().enumerate() {
                for i in 0..n as usize {
                    let t = body.min[axis] + body.size()[axis] * (i as f64 + 0.5) / n;
                    let below = ray.iter().filter(|c| c.t < t).count();
                    // Inside the part, or beside what is left.
                    if below % 2 == 1 || !left.contains(grid.point(k, t).truncate()) {
                        continue;
                    }
                    all += 1;
                    open[0] += usize::from(below == ray.len());
                    open[1] += usize::from(below == 0);
                }
            }
            for (n, sign) in open.into_iter().zip([1.0, -1.0]) {
                let share = n as f64 / f64::from(u32::try_from(all.max(1)).unwrap_or(u32::MAX));
                if all >= 8 && share >= OPEN && best.is_none_or(|b| share > b.0) {
                    let mut d = DVec3::ZERO;
                    d[axis] = sign;
                    best = Some((share, d));
                }
            }
        }
        best.map(|b| b.1)
    }

    /// A corner that stays round here, and may be cut from another side.
    pub(crate) fn name_corner(&mut self, left: &Region, low: f64, key: &str, what: String) {
        let (low, high) = (low - 0.01, self.top);
        let grown = left.grown(0.05, 0.01);
        let round =
            "Ask for a larger radius, relieve the corner with a hole, cut it from another side, or finish it by hand.";
        let Some(d) = self.open_across(left, low, high) else {
            self.name_left(&grown, low, high, Kind::Corner, key, what, round);
            return;
        };
        let back = self.side.view.from_part.inverse();
        let from = back.dir(d);
        let name = part::direction_name(from);
        let key = format!("{key}/{name}");
        let said = format!("{what}; from {name} it stays round too");
        let otherwise = self.left(&grown, low, high, Kind::Corner, &key, said, round);
        let what = format!("{what}; from {name} it lies open");
        let why = "No setup cuts it from that side. Add one, ask for a larger radius, or finish it by hand.";
        let f = self.left(&grown, low, high, Kind::NeedsOtherSide, &key, what, why);
        let parts = left.components();
        let around = |(a, b): (geom::DVec2, geom::DVec2)| Box3 { min: a.extend(low), max: b.extend(high) };
        let boxes = parts.iter().filter_map(Region::bounds).map(|b| back.bounds(&around(b)));
        match self.elsewhere.iter_mut().find(|e| e.is_named_by(&f)) {
            Some(e) => {
                e.otherwise.places.extend(otherwise.places);
                e.boxes.extend(boxes);
            }
            None => {
                self.elsewhere.push(Elsewhere { finding: f.id.clone(), otherwise, from, boxes: boxes.collect() });
            }
        }
        self.name(f);
    }
}

impl Elsewhere {
    /// Points in it no further apart than `cell`, part coordinates.
    pub fn points(&self, cell: f64) -> Vec<DVec3> {
        let mut out = Vec::new();
        for b in &self.boxes {
            let n = (b.size() / cell).ceil().max(DVec3::ONE);
            for k in 0..n.z as usize {
                for j in 0..n.y as usize {
                    for i in 0..n.x as usize {
                        let at = DVec3::new(i as f64, j as f64, k as f64) + 0.5;
                        out.push(b.min + b.size() * at / n);
                    }
                }
            }
        }
        out
    }
    /// Is this the finding that names it?
    pub fn is_named_by(&self, f: &Finding) -> bool {
        f.id == self.finding
    }
}
