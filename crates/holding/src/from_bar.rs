//! The school of bars: the end of a bar in a collet block, then what lies across in it, the block turned from flat to flat; then the piece is sawn off and its other
//! end is cut in whatever holds it.

use crate::collet::{self, Position, TAIL, bar_words, collet_for};
use crate::frame::{Duty, HoldError, Offer, Sawn, Scheme, Setup, StockChoice};
use crate::further::{Further, Turned, grooves, turned};
use crate::hold::{Hold, HoldKind};
use crate::plan::{doubts, no_grip, room, stock_in};
use crate::scheme::{SchemeId, School};
use crate::stand::{Bench, Stand};
use crate::ways::{TOP, Way, standing, turn, way_of_further};
use geom::{Bar, BarForm, Box3, DVec2, DVec3, Placement};
use part::{Part, Surface, View};
use reason::{Finding, Kind, Place, Severity, Sure, len};
use shop::Shop;
use shop::collet::ColletBlock;
use shop::tool::trim;

/// Left on the piece by the saw, to be cut off its other end, mm (common practice, no source).
const SAWN_OVER: f64 = 1.5;
/// Between nose and piece: that, the saw's cut, and a hand's breadth of nothing, mm (common practice, no source).
const HAT: f64 = 6.0;
/// Of a piece that is held by its finished end so much stands out of the collet at least, mm.
const OUT_OF_COLLET: f64 = 4.0;
/// Sizes across flats, and flats' places, agree within this, mm.
const ALIKE: f64 = 0.02;
/// A mesh of a round has places on its chords that lie inside it by up to this, mm.
const CHORDS: f64 = 0.08;
/// A piece shorter than this share of its size is rather cut from a slice, or from plate.
const SHORT: f64 = 0.5;
/// Less that one block leaves than another is no reason to take it, mm³.
const LITTLE: f64 = 0.4;
/// Rounds in grooves of more than this are turned, not milled from a few sides, mm².
const GROOVES: f64 = 20.0;
/// Directions are the same within this, cosine.
const SAME: f64 = 1e-6;

/// Middle and size of a part's outline along an axis, if it is a whole hexagon or round.
pub(crate) fn own_section(part: &Part, axis: usize) -> Option<Bar> {
    let bar = Bar { axis, middle_mm: [0.0; 2], form: BarForm::Round { diameter_mm: 1.0 } };
    let view = View::new(part, bar.frame().inverse());
    let outline = view.shadow(view.bounds.min.z - 1.0).filled();
    let points: Vec<DVec2> = outline.loops().into_iter().flatten().collect();
    let (lo, hi) = outline.bounds()?;
    let middle = (lo + hi) / 2.0;
    let furthest = points.iter().map(|p| p.distance(middle)).fold(0.0, Sure::at_least);
    let round = Bar { middle_mm: middle.to_array(), form: BarForm::Round { diameter_mm: 2.0 * furthest }, ..bar };
    let full = outline.area() > 0.98 * std::f64::consts::PI * furthest * furthest;
    if full && points.iter().all(|p| p.distance(middle) > furthest - CHORDS) {
        let diameter_mm = (2000.0 * furthest).round() / 1000.0;
        return Some(Bar { form: BarForm::Round { diameter_mm }, ..round });
    }
    // Flats along the axis, six of them alike.
    let along = |d: DVec2| points.iter().map(|p| (*p - middle).dot(d)).fold(f64::NEG_INFINITY, Sure::at_least);
    let normals = part.faces.iter().filter_map(|f| match f.surface {
        Surface::Plane { normal, .. } if normal[axis].abs() < SAME => {
            Some(bar.frame().inverse().dir(normal).truncate())
        }
        _ => None,
    });
    normals
        .map(|n| n.to_angle())
        .map(|a| {
            let half = along(DVec2::from_angle(a));
            let deg = (a.to_degrees() * 1e4).round() / 1e4;
            let form =
                BarForm::Hexagon { across_mm: (2000.0 * half).round() / 1000.0, turned_deg: deg.rem_euclid(60.0) };
            Bar { form, ..round }
        })
        .find(|b| {
            let half = b.radii()[0];
            let alike = b.flats().into_iter().all(|n| (along(n) - half).abs() < ALIKE);
            // Corners may be broken, no more.
            alike && outline.area() > 0.98 * b.section().area()
        })
}

/// The bar that a part is cut from along an axis: of its own section, or the smallest round of a collet that holds it.
fn bar_for(part: &Part, axis: usize, block: &ColletBlock) -> Option<Bar> {
    if let Some(own) = own_section(part, axis).filter(|b| collet_for(block, b).is_some()) {
        return Some(own);
    }
    let any = Bar { axis, middle_mm: [0.0; 2], form: BarForm::Round { diameter_mm: 1.0 } };
    let b = any.frame().inverse().bounds(&part.bounds);
    let middle = b.middle().truncate();
    let to = any.frame().inverse();
    let furthest = part.mesh.points.iter().map(|p| to.point(*p).truncate().distance(middle)).fold(0.0, Sure::at_least);
    // A little more, that the outline comes clean.
    let least = 2.0 * furthest + 1.0;
    let diameter_mm = block.round_mm.iter().copied().filter(|d| *d >= least).reduce(Sure::at_most)?;
    Some(Bar { middle_mm: middle.to_array(), form: BarForm::Round { diameter_mm }, ..any })
}

/// What a collet wants of a bar below a part that has the bar's own section, mm: its grip, room for the saw, and a little behind. None where the shop has none for it.
pub fn bar_grip(part: &Part, shop: &Shop, axis: usize) -> Option<f64> {
    let own = own_section(part, axis)?;
    let has = shop.collet_blocks.iter().filter(|c| c.count > 0 && collet_for(c, &own).is_some());
    has.map(|c| HAT + c.depth_mm + TAIL).reduce(Sure::at_most)
}

/// The bar that a part lies in along one of its axes, if it is cut from one of this section (a diameter, or a size across flats) and length, mm; or why not.
///
/// # Errors
/// In words: no collet closes on it, it is too short, the part does not lie in it.
pub fn bar_of(part: &Part, shop: &Shop, axis: usize, size: f64, hexagon: bool, length: f64) -> Result<Bar, String> {
    let own = own_section(part, axis);
    let any = Bar { axis, middle_mm: [0.0; 2], form: BarForm::Round { diameter_mm: size } };
    let middle_mm = any.frame().inverse().bounds(&part.bounds).middle().truncate().to_array();
    let form = match own.map(|b| b.form) {
        Some(BarForm::Hexagon { turned_deg, .. }) if hexagon => BarForm::Hexagon { across_mm: size, turned_deg },
        _ if hexagon => BarForm::Hexagon { across_mm: size, turned_deg: 0.0 },
        _ => any.form,
    };
    let bar = Bar { middle_mm: own.map_or(middle_mm, |b| b.middle_mm), form, ..any };
    if !holds(&bar, part) {
        return Err(format!("the part does not lie in {}", bar_words(&bar)));
    }
    let has = shop.collet_blocks.iter().filter(|c| c.count > 0 && collet_for(c, &bar).is_some());
    let Some(depth) = has.map(|c| c.depth_mm).reduce(Sure::at_most) else {
        return Err(format!("no collet of the shop takes {}", bar_words(&bar)));
    };
    let needs = part.bounds.size()[axis] + TOP + HAT + depth + TAIL;
    if length < needs {
        return Err(format!(
            "it takes {:.0} mm of bar with what the collet grips, and that is {length:.0}",
            len(needs.ceil()),
            length = len(length)
        ));
    }
    Ok(bar)
}

/// Does a part lie in a bar?
fn holds(bar: &Bar, part: &Part) -> bool {
    let (to, section) = (bar.frame().inverse(), bar.section());
    part.mesh.points.iter().all(|p| section.signed_distance(to.point(*p).truncate()) > -ALIKE)
}

/// A part that is best cut from a bar: its outline is that of a bar for which the shop has a collet, and it is no slice of one.
pub(crate) fn suits(part: &Part, shop: &Shop) -> Option<usize> {
    (0..3).find(|&axis| {
        own_section(part, axis).is_some_and(|b| {
            let has = shop.collet_blocks.iter().any(|c| c.count > 0 && collet_for(c, &b).is_some());
            has && part.bounds.size()[axis] > SHORT * 2.0 * b.radii()[0]
        })
    })
}

/// Directions that a block shows when it is turned, the first of them given.
fn positions(axis: DVec3, first: DVec3, sides: u32) -> Vec<DVec3> {
    (0..sides)
        .map(|k| {
            let angle = std::f64::consts::TAU * f64::from(k) / f64::from(sides);
            let d = geom::DMat3::from_axis_angle(axis, angle) * first;
            // Straight where it is meant to be.
            let near = d.round();
            if d.distance(near) < 1e-9 { near } else { d }
        })
        .collect()
}

/// Directions across in which something of the part looks: out of bores, square to flats, and along the axes.
fn looks(part: &Part, axis: DVec3) -> Vec<DVec3> {
    let slanted = part::slants(part).into_iter().map(|(d, _)| d).filter(|d| d.dot(axis).abs() < SAME);
    let mut out: Vec<DVec3> = geom::DIRECTIONS.map(|d| d.0).into_iter().filter(|d| d.dot(axis).abs() < SAME).collect();
    for d in slanted {
        if out.iter().all(|o| o.dot(d) < 1.0 - SAME) {
            out.push(d);
        }
    }
    out
}

/// What is cut in which position of a block, counted from the first.
type Positions = Vec<(u32, Further)>;

/// The block whose positions make most of what lies across, by the fewest of them: the block, and what is cut in which.
fn block_for<'a>(part: &Part, up: DVec3, blocks: &[&'a ColletBlock]) -> Option<(&'a ColletBlock, Positions)> {
    let firsts = looks(part, up);
    let tried: Vec<(&ColletBlock, Vec<DVec3>)> =
        blocks.iter().flat_map(|b| firsts.iter().map(|f| (*b, positions(up, *f, b.sides)))).collect();
    let sets: Vec<Vec<DVec3>> = tried.iter().map(|t| t.1.clone()).collect();
    let mut best: Option<(&(&ColletBlock, Vec<DVec3>), Turned)> = None;
    for (of, found) in tried.iter().zip(turned(part, up, &sets)) {
        let better = best.as_ref().is_none_or(|(_, b)| {
            found.left < b.left - LITTLE || (found.left < b.left + LITTLE && found.sides.len() < b.sides.len())
        });
        if better {
            best = Some((of, found));
        }
    }
    let ((block, all), found) = best?;
    // Counted from the first that is cut.
    let place = |f: &Further| all.iter().position(|d| d.dot(f.up) > 1.0 - SAME).unwrap_or(0) as u32;
    let start = found.sides.first().map_or(0, &place);
    let mut sides: Positions =
        found.sides.into_iter().map(|f| ((place(&f) + block.sides - start) % block.sides, f)).collect();
    sides.sort_by_key(|s| s.0);
    Some((*block, sides))
}

/// The whole way.
pub(crate) fn from_bar(
    b: &Bench,
    choice: &StockChoice,
    way: &Way,
    id: SchemeId,
    offers: bool,
) -> Result<Scheme, HoldError> {
    let Bench { part, shop, material, wish } = *b;
    let refused = |why: String| Err(HoldError::First(why));
    if id.hold != HoldKind::Collet || !wish.kinds.allow(id.hold) {
        return refused("from a bar only a collet block holds it, and that is not wanted".into());
    }
    let up = way.up;
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let there: Vec<&ColletBlock> = shop.collet_blocks.iter().filter(|c| c.count > 0).collect();
    if there.is_empty() {
        return refused("the shop has no collet block".into());
    }
    let bar_of = |c: &ColletBlock| match choice {
        StockChoice::Bar { bar } => Some(*bar).filter(|b| collet_for(c, b).is_some()),
        _ => bar_for(part, axis, c),
    };
    match choice {
        StockChoice::Rule => {}
        StockChoice::Bar { bar } if bar.axis == axis && holds(bar, part) => {}
        StockChoice::Bar { bar } => {
            return refused(format!("the part does not lie in the bar that was chosen, {}", bar_words(bar)));
        }
        StockChoice::Sizes(_) | StockChoice::Over(_) => return refused("the block that was chosen is no bar".into()),
    }
    let around = grooves(part, up);
    if around > GROOVES {
        return refused(format!("it has grooves all around, {around:.0} mm² of their bottom: they want turning"));
    }
    let fits: Vec<&ColletBlock> = there.iter().copied().filter(|c| bar_of(c).is_some()).collect();
    let Some((block, sides)) = block_for(part, up, &fits) else {
        let most = there.iter().flat_map(|c| &c.round_mm).copied().fold(0.0, Sure::at_least);
        let words = match choice {
            StockChoice::Bar { bar } => format!("no collet of the shop takes {}", bar_words(bar)),
            _ => format!("no bar that a collet of the shop takes holds it: they go up to Ø{}", len(trim(most))),
        };
        return refused(words);
    };
    let Some(bar) = bar_of(block) else { return refused("no bar holds it".into()) };
    let lies = Lies::of(part, block, bar, up);
    let mut setups = lies.in_block(b, sides, way.back).map_err(HoldError::First)?;
    let mut findings: Vec<Finding> = as_drawn(part, &bar).into_iter().collect();
    setups.iter().for_each(|s| findings.extend(doubts(s)));

    // Sawn off, and the other end.
    let name = format!("side {}", setups.len() + 1);
    let held = way_of_further(part, -up, shop, material, wish, &name, &Duty::All);
    let frame = standing(held.up, held.back, &part.bounds);
    let mut last = Stand::second(held, -up, frame, Duty::All, SAWN_OVER);
    last.name = name;
    let flat = last.held_by() == Some(HoldKind::Vise);
    // In the collet again where flat jaws do not hold it.
    let again = lies.in_collet_again(b, &last.name, way.back);
    let mut held_by = Vec::new();
    if offers {
        let kinds = last.offers(b).into_iter().filter(|o| o.kind != HoldKind::Collet);
        held_by.extend(kinds.map(|o| Offer { chosen: o.chosen && (flat || again.is_err()), ..o }));
        held_by.push(match &again {
            Ok(s) => Offer::of(HoldKind::Collet, s, !flat),
            Err(why) => Offer::refused(HoldKind::Collet, &last.name, why),
        });
    }
    let setup = match again {
        Ok(s) if !flat => Some(s),
        _ => last.setup(b),
    };
    let mut not_planned = Vec::new();
    match setup {
        Some(s) => {
            let s = Setup { sawn: Some(Sawn { left: lies.left_by_the_saw(), over: SAWN_OVER }), ..s };
            findings.extend(doubts(&s));
            setups.push(s);
        }
        None => {
            let why = last.why_not();
            findings.push(no_grip(&last.name, &why, wish.order));
            not_planned.push(last.not_planned(why));
        }
    }
    let id = SchemeId { school: School::Bar, ..id };
    let begun = Scheme::begun(id, lies.stock(), setups, (up, HAT), findings);
    let mut out = Scheme { bar: Some(bar), offers: held_by, not_planned, ..begun };
    let more = room(&out, &stock_in(&out.setups[0], &out.stock), &shop.machine, &shop.vise);
    out.findings.extend(more);
    Ok(out)
}

/// How a part lies in a bar whose block stands nose up.
struct Lies<'a> {
    part: &'a Part,
    block: &'a ColletBlock,
    bar: Bar,
    /// Out of the nose, part coordinates.
    up: DVec3,
    /// The part's ends along `up`, mm.
    low: f64,
    high: f64,
}

impl<'a> Lies<'a> {
    fn of(part: &'a Part, block: &'a ColletBlock, bar: Bar, up: DVec3) -> Lies<'a> {
        let (min, max) = (part.bounds.min.dot(up), part.bounds.max.dot(up));
        Lies { part, block, bar, up, low: min.at_most(max), high: min.at_least(max) }
    }
    fn long(&self) -> f64 {
        self.high - self.low
    }
    /// On the bar's middle, so far along `up`, part coordinates.
    fn on_axis(&self, along: f64) -> DVec3 {
        self.bar.frame().point(self.bar.middle().extend(self.up[self.bar.axis] * along))
    }
    /// The box around a length of the bar, from one place along `up` to another.
    fn length(&self, from: f64, to: f64) -> Box3 {
        let sign = self.up[self.bar.axis];
        self.bar.bounds(sign * from, sign * to)
    }
    fn stock(&self) -> Box3 {
        self.length(self.low - HAT - self.block.depth_mm - TAIL, self.high + TOP)
    }
    fn left_by_the_saw(&self) -> Box3 {
        self.length(self.low - SAWN_OVER, self.high + TOP)
    }
    /// In the block, where so much of the bar, or of the piece, is in the collet and so much out of it, mm.
    fn held(
        &self,
        b: &Bench,
        frame: &Placement,
        (position, found_here): (Position, bool),
        nose: DVec3,
        (depth, sticks_out): (f64, f64),
    ) -> Result<Hold, String> {
        let held = collet::Held {
            shop: b.shop,
            material: b.material,
            block: self.block,
            bar: &self.bar,
            position,
            found_here,
            nose,
            sticks_out,
            depth,
            part: frame.inverse().bounds(&self.part.bounds),
        };
        collet::design(&held).map(|c| Hold::Collet(Box::new(c)))
    }
    /// Nose up, then from flat to flat.
    fn in_block(&self, b: &Bench, sides: Positions, back: DVec3) -> Result<Vec<Setup>, String> {
        let (shop, long, depth) = (b.shop, self.long(), self.block.depth_mm);
        // The zero is in the middle of the nose's face.
        let frame = Placement { turn: turn(self.up, back), shift: self.on_axis(self.low - HAT) };
        let first = self.held(b, &frame, (Position::Stands, true), DVec3::ZERO, (depth, HAT + long + TOP))?;
        let mut out = vec![first.setup("side 1", Duty::AllButHat, frame, shop)];
        // Nose to the right: the zero is in the middle of the finished end.
        let nose = DVec3::new(-(long + HAT), 0.0, 0.0);
        for (k, (place, f)) in sides.into_iter().enumerate() {
            let frame = Placement { turn: turn(f.up, f.up.cross(self.up)), shift: self.on_axis(self.high) };
            let hold = self.held(b, &frame, (Position::Lies(place), k == 0), nose, (depth, HAT + long))?;
            out.push(hold.setup(&format!("side {}", k + 2), Duty::Only(f.only), frame, shop));
        }
        Ok(out)
    }
    /// Sawn off and turned end for end: by what stays of the bar.
    fn in_collet_again(&self, b: &Bench, name: &str, back: DVec3) -> Result<Setup, String> {
        let long = self.long();
        let depth = self.block.depth_mm.at_most(long - OUT_OF_COLLET);
        if own_section(self.part, self.bar.axis).is_none_or(|own| own.form != self.bar.form) {
            return Err("its outside is not that of the bar any more".into());
        }
        if depth < SHORT * 2.0 * self.bar.radii()[0] {
            return Err(format!("it is {:.0} mm long: too little of it would be in the collet", len(long)));
        }
        let frame = Placement { turn: turn(-self.up, back), shift: self.on_axis(self.low + (long - depth)) };
        if !grips_all_along(self.part, &self.bar, &frame, depth) {
            return Err("of what would be in the collet too little has the size of the bar still".into());
        }
        let hold =
            self.held(b, &frame, (Position::StandsAgain, true), DVec3::ZERO, (depth, long - depth + SAWN_OVER))?;
        Ok(hold.setup(name, Duty::All, frame, b.shop))
    }
}

/// Has a finished part the bar's section still where a collet would close on it: below z 0 of a frame, so deep, mm? A bore across takes a little of it.
fn grips_all_along(part: &Part, bar: &Bar, part_from_work: &Placement, depth: f64) -> bool {
    const HEIGHTS: usize = 24;
    const WHOLE: f64 = 0.97;
    const SHARE: f64 = 0.6;
    let mesh = part.mesh.placed(&part_from_work.inverse());
    let whole = WHOLE * bar.section().area();
    let is_whole = |k: usize| mesh.section(-depth * (k as f64 + 0.5) / HEIGHTS as f64).filled().area() > whole;
    let all: Vec<bool> = (0..HEIGHTS).map(is_whole).collect();
    let share = |of: &[bool]| of.iter().filter(|w| **w).count() as f64 / of.len() as f64;
    // At both ends of the collet, or it would rock.
    share(&all) >= SHARE && share(&all[..HEIGHTS / 4]) >= 0.5 && share(&all[HEIGHTS * 3 / 4..]) >= 0.5
}

/// What of a bar stays on the part.
fn as_drawn(part: &Part, bar: &Bar) -> Option<Finding> {
    let own = own_section(part, bar.axis)?;
    (own.form == bar.form).then(|| {
        let what = match bar.form {
            BarForm::Hexagon { .. } => "Its six flats stay as the bar comes, drawn to size",
            BarForm::Round { .. } => "Its outside stays as the bar comes, drawn or ground to size",
        };
        Finding::new(
            Kind::AsItComes,
            Severity::Note,
            format!("{what}: {}", bar_words(bar)),
            "Measure the bar before it is closed in the collet, and take a piece without scars; or choose a way that cuts the outline.",
        )
        .keyed("bar")
        .at(vec![Place::new(part.bounds.min, part.bounds.max)])
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// By hand: a hexagon block shows the six flats of a hexagon, a square one four sides; whole axes stay whole.
    #[test]
    fn a_block_shows_as_many_directions_as_it_has_flats() {
        let six = positions(DVec3::Z, DVec3::X, 6);
        assert_eq!((six.len(), six[3]), (6, -DVec3::X));
        assert!((six[1].dot(DVec3::X) - 0.5).abs() < 1e-12 && six[1].y > 0.8);
        assert_eq!(positions(DVec3::X, DVec3::Z, 4), [DVec3::Z, -DVec3::Y, -DVec3::Z, DVec3::Y]);
    }
}
