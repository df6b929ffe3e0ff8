//! Skins over hollows: what a face cutter would tear off is opened by an end mill first.
//!
//! A face cutter that comes near a hollow from above presses on a skin. Once a row has broken through, what is left of it is a flap that hangs on one
//! side. It is taken as a cantilever as long as the hollow's half width and as wide as the hollow, under the cutter's highest force
//! (Euler and Bernoulli: w = F·L³/(3·E·I), with L = a, I = 2·a·t³/12, so w = 2·F·a²/(E·t³)).

use crate::op::OpKind;
use crate::pockets::{COARSE, Job, size_key};
use crate::setup::{WALL_SKIN, Work};
use cutting::MillData;
use geom::Region;
use reason::Finding;
use reason::{Kind, Place, Severity, Sure, len};
use shop::tool::{Tool, ToolKind};

/// A skin that bends by more than this under the cutter flies (common practice: as much as roughing may bend its cutter, no source).
const MAY_BEND: f64 = 0.06;
/// It is opened to this far beyond the hollow and below its upper end, mm.
const BEYOND: f64 = 0.5;
const BELOW_SKIN: f64 = 0.1;
/// From the outside an end mill needs no room; larger ones are seldom in a crib of a small machine, mm.
const LARGEST: f64 = 12.0;
/// Room for the helix and a stroke: width of the hollow ÷ diameter.
const ROOM: f64 = 1.3;

/// A hollow under the material that is to be faced off, or the air under what hangs over outside the part.
pub(crate) struct Hollow {
    /// Seen from above.
    pub region: Region,
    /// Its upper end.
    pub top: f64,
    /// How far a flap may reach from where it is held, mm: half the width of a hollow, the whole of an overhang.
    pub reach: f64,
    /// What may be cut over it.
    open: Region,
    /// It is open to the outside.
    outside: bool,
}

/// What the free edge of a skin `t` mm thick gives way by over a hollow of half width `a` mm under a force (N), mm.
pub(crate) fn flap_bend(force: f64, a: f64, t: f64, young_mpa: f64) -> f64 {
    2.0 * force * a * a / (young_mpa * t.powi(3))
}

/// How far the farthest place of a region is from what holds it, mm (by tenths, at most 80).
fn farthest(region: &Region, held: &Region) -> f64 {
    let (region, held) = (&region.simplified(0.05), &held.simplified(0.05));
    let (mut low, mut high) = (0.0, 80.0);
    while high - low > 0.1 {
        let mid = (low + high) / 2.0;
        if region.minus(&held.grown(mid, 0.05)).area() > 0.01 { low = mid } else { high = mid }
    }
    high
}

impl Work<'_, '_> {
    /// Hollows above the part's top and under material.
    pub(crate) fn hollows(&self) -> Vec<Hollow> {
        let parts: Vec<(f64, f64, &Region)> = self.stock.parts().collect();
        let mut out = Vec::new();
        for pair in parts.windows(2) {
            let (below, above) = (&pair[0], &pair[1]);
            let top = above.0;
            if top <= self.top + 1e-3 {
                continue;
            }
            let arena = self.block.grown(20.0, COARSE);
            // Of the outside all is one, with the air around it.
            let mut over = Vec::new();
            for region in above.2.minus(below.2).opened(0.2, COARSE).components() {
                let edge = region.grown(0.1, COARSE).minus(&region);
                if edge.minus(above.2).area() > 0.02 * edge.area() {
                    over.push(region);
                    continue;
                }
                let reach = region.deepest(0.05).map_or(0.0, |d| d.1);
                let open = region.grown(BEYOND + WALL_SKIN, COARSE);
                out.push(Hollow { reach, open, region, top, outside: false });
            }
            let region = Region::union_all(&over);
            if !region.is_empty() {
                let open = arena.minus(&below.2.minus(&region.grown(BEYOND + WALL_SKIN, COARSE)));
                out.push(Hollow { reach: farthest(&region, below.2), open, region, top, outside: true });
            }
        }
        out
    }

    /// Open those hollows whose skin would fly under the face cutter that takes these levels. Was any opened?
    pub(crate) fn open_hollows(&mut self, hollows: &[Hollow], levels: &[f64], face: &MillData, uneven: bool) -> bool {
        let from = self.stock.top();
        let young = self.side.material.young_mpa;
        let force = face.side_n.hypot(face.axial_n);
        let mut any = false;
        for h in hollows {
            // What is left over the hollow before the step that breaks into it.
            let steps = std::iter::once(from).chain(levels.iter().copied());
            let skin =
                steps.filter(|z| *z > h.top + 1e-3).fold(f64::INFINITY, |a, z| if z < a { z } else { a }) - h.top;
            let breaks = levels.iter().any(|z| *z <= h.top + 1e-3);
            let bend = flap_bend(force, h.reach, skin, young);
            if !breaks || bend <= MAY_BEND {
                continue;
            }
            let done = if uneven { None } else { self.cap(h) };
            match done {
                Some(()) => any = true,
                None => self.name_flap(h, skin, bend),
            }
        }
        any
    }

    /// Clear what is over a hollow; none where no end mill can.
    fn cap(&mut self, h: &Hollow) -> Option<()> {
        let (high, low) = (self.stock.top(), (h.top - BELOW_SKIN).at_least(self.top + 0.02));
        let tool = self.opener(h, high - low)?.clone();
        let outside = self.block.grown(20.0, COARSE).minus(&h.open);
        let middle = h.region.bounds().map_or_else(Default::default, |b| (b.0 + b.1) / 2.0);
        let job = Job {
            kind: OpKind::Open,
            // What hangs over is as large as the block, and no name hangs on that.
            key: if h.outside {
                format!("skin@outside/{}", self.height(h.top))
            } else {
                format!("skin@{}{}", self.axis_place(middle), size_key(&h.region))
            },
            high,
            low,
            plain: outside.clone(),
            shadow: outside,
            deeper: Region::empty(),
            goal: h.region.clone(),
            open: h.open.clone(),
            near: None,
            floor: false,
            wall_top: high,
            rough: vec![tool.clone()],
            finish: tool.clone(),
            first: None,
            name: if h.outside { "what hangs over" } else { "the skin over a hollow" },
        };
        let cut = self.rough(&job, &tool)?;
        cut.op.as_ref()?;
        self.apply(vec![Some(cut)]);
        Some(())
    }

    /// The largest end mill that finds room over a hollow and reaches through.
    fn opener(&self, h: &Hollow, depth: f64) -> Option<&Tool> {
        let fits = |t: &&Tool| {
            t.kind == ToolKind::Flat
                && (h.outside && t.diameter_mm <= LARGEST || ROOM * t.diameter_mm <= 2.0 * (h.reach + BEYOND))
                && t.flute_length_mm >= depth + 0.2
                && t.stickout_mm >= depth + 1.0
        };
        let all = self.side.shop.crib.iter().filter(fits);
        all.max_by(|a, b| a.diameter_mm.total_cmp(&b.diameter_mm).then(b.stickout_mm.total_cmp(&a.stickout_mm)))
    }

    fn name_flap(&mut self, h: &Hollow, skin: f64, bend: f64) {
        let Some((lo, hi)) = h.region.bounds() else { return };
        let b = geom::Box3 { min: lo.extend(h.top), max: hi.extend(h.top + skin) };
        let b = self.side.view.from_part.inverse().bounds(&b);
        let over = if h.outside { "hanging over by" } else { "over a hollow of half width" };
        let what = format!("A skin of {skin:.2} mm, {over} {:.1} mm, is faced off", len(h.reach), skin = len(skin));
        let why = format!(
            "It would give way by {bend:.2} mm under the cutter and may tear off (a flap on one side, {MAY_BEND} mm is borne). Face in small steps there and stand clear, or open it by hand first.",
            bend = len(bend),
            MAY_BEND = len(MAY_BEND)
        );
        let key = self.axis_place((lo + hi) / 2.0);
        let f = Finding::new(Kind::ThinSkin, Severity::Warn, what, why).keyed(key).in_setup(self.side.name);
        self.notes.push(f.at(vec![Place::new(b.min, b.max)]));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// By hand: 200 N on a flap of 6082 (E 70 000 N/mm²) over a hollow 20 mm wide: L 10, I = 20·1³/12 = 1.667 mm⁴,
    /// w = 200·1000/(3·70000·1.667) = 0.571 mm at 1 mm; an eighth of it at 2 mm.
    #[test]
    fn a_flap_bends_as_a_cantilever() {
        let one = flap_bend(200.0, 10.0, 1.0, 70_000.0);
        assert!((one - 200.0 * 1000.0 / (3.0 * 70_000.0 * (20.0 / 12.0))).abs() < 1e-12, "{one}");
        assert!((flap_bend(200.0, 10.0, 2.0, 70_000.0) - one / 8.0).abs() < 1e-12);
    }
}
