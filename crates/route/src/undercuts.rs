//! T-slots, side grooves and dovetails: what lies under the part itself, by cutters on a neck.

use crate::op::OpKind;
use crate::setup::{ROUGH_BEND, ROUGH_WIDTH, Work};
use cutting::{MillData, MillTask, mill};
use part::{Level, OFF_FLOOR, Undercut};
use path::Feeds;
use path::undercut::{Under, Undercutting};
use reason::{Finding, Kind, Place, Severity, Sure, Term, len};
use shop::tool::Tool;

/// What the last but one of its lines leaves on the walls, mm (common practice, no source).
const SKIN: f64 = 0.2;
/// Between two lines of a dovetail cutter, share of its diameter: its corner is weak (common practice, no source).
const FLANK_WIDTH: f64 = 0.15;
/// So much more of the rim is stated than was found along the lines, rad.
const STATED: f64 = 0.1;
/// The least share of the usual feed at which a head goes through; one that power or bending slow down further is not for it.
const SLOWEST: f64 = 0.3;
/// More than this share of the ground left, and a head is not for it.
const MOSTLY: f64 = 0.5;
/// Room round the cutter where it comes and goes, mm.
const ROOM: f64 = 0.2;
/// Less than this of an opening or of material is none, mm².
const LEAST: f64 = 0.05;
/// Thinner than twice this is no material: where regions keep to their curves, mm.
const SLIVER: f64 = 0.02;

impl Work<'_, '_> {
    /// What hangs over a floor here, from what is open above.
    pub(crate) fn undercuts(&mut self) {
        let view = self.side.view;
        if !view.from_part.is_axial() || !self.side.shop.crib.iter().any(|t| t.kind.undercuts()) {
            return;
        }
        for u in part::undercuts(view) {
            let near = |m: &geom::Region| !m.grown(1.0, 0.05).intersect(&u.zone).is_empty();
            if !self.mine.as_ref().is_none_or(near) {
                continue;
            }
            // A head that only pokes in from the ends is none for it; what is left the proof tells.
            let best = part::best(view, &u, &self.side.shop.crib).filter(|b| b.1.missed < MOSTLY);
            let Some(proposed) = best.map(|b| b.0.clone()) else { continue };
            if let Err(why) = self.undercut(&u, &proposed) {
                self.not_undercut(&u, &why);
            }
        }
    }

    /// Numbers at which a head of that height goes through: the feed gives way where power or bending bind, for the height cannot. Of a slot both sides may be
    /// met at once: what pushes on one is held by the other, so bending is that of one; power and rim are those of both.
    fn head_numbers(&self, id: &str, u: &Undercut, tool: &Tool, step: f64) -> Option<MillData> {
        let depth = (u.high - u.low).at_most(tool.flute_length_mm);
        let width = if u.flank.is_some() { step } else { (2.0 * u.broad).at_most(tool.diameter_mm) };
        let mut share = 1.0;
        while share > SLOWEST {
            let task = MillTask {
                depth,
                width,
                bend: ROUGH_BEND,
                feed_share: share,
                kappa: std::f64::consts::FRAC_PI_2,
                cuts_at: None,
                finish: false,
                most_n: self.side.most_n(id),
            };
            let mut data = mill(&task, tool, self.side.material, &self.side.shop.machine);
            let both = if u.flank.is_some() { 1.0 } else { 2.0 };
            let usable = self.side.shop.machine.usable_kw(data.rpm.value);
            if data.ap.value > depth - 1e-6 && both * data.power_kw < usable {
                data.power_kw *= both;
                return Some(data);
            }
            share *= 0.85;
        }
        None
    }

    fn undercut(&mut self, u: &Undercut, proposed: &Tool) -> Result<(), String> {
        let view = self.side.view;
        let Some((low, high)) = u.zone.bounds() else { return Ok(()) };
        let (mid, size) = ((low + high) / 2.0, high - low);
        let key = format!("{}/{:.0}x{:.0}", self.place(mid, u.low), size.x, size.y);
        let id = Self::id(OpKind::Undercut, &key);
        let tool = self.tool_for(&id, proposed).clone();
        if !u.suits(&tool) {
            return Err(format!("{} has another form, or too thick a neck", tool.words()));
        }
        let reach = u.reach(view, &tool).ok_or_else(|| format!("{} does not get there", tool.words()))?;
        // How high a head cuts is its form's.
        let o = reason::Override { depth: None, ..self.override_of(&id) };
        let widest = if u.flank.is_some() { FLANK_WIDTH } else { ROUGH_WIDTH } * tool.diameter_mm;
        let step = o.width.unwrap_or(widest).clamp(0.05 * widest, tool.radius());
        let mut data = self.head_numbers(&id, u, &tool, step).ok_or_else(|| {
            format!(
                "power, bending or what holds the piece let {} through only at less than a third of its feed",
                tool.words()
            )
        })?;
        self.overrule(&mut data, &o, &tool);
        let levels: Vec<Under> = reach.levels.iter().map(|l| self.under(u, &tool, l)).collect();
        let all = levels.iter().map(|l| l.material.area()).fold(0.0, |a, b| a + b);
        if all < LEAST {
            // Another side has cut it.
            return Ok(());
        }
        if levels.iter().any(|l| l.open.area() < LEAST) {
            return Err("stock stands wherever the cutter could come down beside it".into());
        }
        let feeds = Feeds {
            cut: data.feed.value,
            plunge: data.plunge,
            link: self.side.shop.machine.feed_max_mm_min,
            brush: data.feed.value,
        };
        let work = Undercutting { levels, radius: tool.radius(), step, skin: SKIN, tolerance: 0.003 };
        let cut = work.moves(feeds, self.clear_z, &self.stock);
        data.engagement = (cut.engagement + STATED).at_most(std::f64::consts::PI);
        if cut.moves.is_empty() || cut.left > 0.01 * all {
            return Err("no way leads in and out again at its height".into());
        }
        let form = match u.flank {
            Some(f) => format!("Dovetail {:.0}°", f.to_degrees()),
            None => "Undercut".into(),
        };
        let title = format!("{form} to Z{:.2}, {}", len(u.low), tool.words());
        let mut cutter_why = vec![
            Term::new("D", "its head gets under the overhang, its neck passes the opening", tool.diameter_mm, "mm"),
            Term::new("h", "height from the floor to the overhang", u.high - u.low, "mm"),
            Term::new("levels", "passes over one another, for a head that is lower", reach.levels.len() as f64, ""),
            Term::new("neck", "diameter of the neck", tool.shank_diameter_mm, "mm"),
            Term::new("s", "between two lines", step, "mm"),
            Term::new("skin", "left on the walls by the last but one", SKIN, "mm"),
        ];
        if reach.missed > 1e-3 {
            cutter_why.push(Term::new(
                "left",
                "share of the ground that no cutter of the crib reaches",
                reach.missed,
                "",
            ));
        }
        let why = "After all that opens it from above; the head comes down beside it, goes in at its height, and comes out where it went in";
        self.push(OpKind::Undercut, id, title, &tool, (u.low, u.high), why, Some(data), cut.moves, cutter_why);
        for l in &reach.levels {
            let swept = l.centres.grown(tool.radius_at(tool.flute_length_mm), 0.005).intersect(&u.zone);
            self.stock.hollow(&swept, l.z, l.z + tool.flute_length_mm.at_most(u.high - u.low));
        }
        Ok(())
    }

    fn under(&self, u: &Undercut, tool: &Tool, l: &Level) -> Under {
        let view = self.side.view;
        let top = l.z + tool.flute_length_mm;
        // Widest at the foot of a flank; under a roof it is the same at all heights.
        let void = view.mesh.section(l.z + OFF_FLOOR);
        let material = self.stock.between(l.z + OFF_FLOOR, top - OFF_FLOOR).minus(&void);
        let material =
            material.intersect(&u.zone.grown(tool.radius(), 0.02)).intersect(&l.centres.grown(tool.radius(), 0.003));
        let above = self.stock.between(l.z + OFF_FLOOR, f64::INFINITY);
        let open = l.open.minus(&above.grown(tool.radius() + ROOM, 0.01)).without_specks(LEAST);
        Under { z: l.z, centres: l.centres.clone(), open, material: material.opened(SLIVER, 0.005) }
    }

    fn not_undercut(&mut self, u: &Undercut, why: &str) {
        let back = self.side.view.from_part.inverse();
        let Some((low, high)) = u.zone.bounds() else { return };
        let place = back.bounds(&geom::Box3 { min: low.extend(u.low), max: high.extend(u.high) }.grown(0.02));
        let size = high - low;
        self.named.push(
            Finding::new(
                Kind::UncutFace,
                Severity::Warn,
                format!(
                    "What hangs over a floor, {:.1} × {:.1} × {:.1} mm, is left: {why}",
                    len(size.x),
                    len(size.y),
                    len(u.high - u.low)
                ),
                "Another head or neck, another side, or by hand.",
            )
            .keyed(self.place((low + high) / 2.0, u.low))
            .in_setup(self.side.name)
            .at(vec![Place::new(place.min, place.max)]),
        );
    }
}
