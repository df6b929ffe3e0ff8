//! The school of bars: the end of a bar in a collet block, then what lies across in it, the block turned from flat to flat; then the piece is sawn off and its other
//! end is cut in whatever holds it.

use crate::collet::{self, Position, TAIL, bar_words, collet_for};
use crate::frame::{Duty, HoldError, Offer, Sawn, Scheme, Setup, StockChoice};
use crate::further::{Further, turned};
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

/// The block whose positions show most of what lies across, by the fewest of them: the block, and what is cut in which.
fn block_for<'a>(part: &Part, up: DVec3, blocks: &[&'a ColletBlock]) -> Option<(&'a ColletBlock, Positions)> {
    let firsts = looks(part, up);
    let mut best: Option<(f64, &ColletBlock, Positions)> = None;
    let tried: Vec<(&ColletBlock, Vec<DVec3>)> =
        blocks.iter().flat_map(|b| firsts.iter().map(|f| (*b, positions(up, *f, b.sides)))).collect();
    let sets: Vec<Vec<DVec3>> = tried.iter().map(|t| t.1.clone()).collect();
    for ((block, all), (left, found)) in tried.iter().zip(turned(part, up, &sets)) {
        let better = match &best {
            None => true,
            Some((l, _, s)) => left < l - 0.4 || (left < l + 0.4 && found.len() < s.len()),
        };
        if better {
            // Counted from the first that is cut.
            let place = |f: &Further| all.iter().position(|d| d.dot(f.up) > 1.0 - SAME).unwrap_or(0) as u32;
            let start = found.first().map_or(0, &place);
            let mut sides: Positions =
                found.into_iter().map(|f| ((place(&f) + block.sides - start) % block.sides, f)).collect();
            sides.sort_by_key(|s| s.0);
            best = Some((left, block, sides));
        }
    }
    best.map(|(_, block, sides)| (block, sides))
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
    // Along the bar, from the nose out.
    let (low, high) = if up[axis] > 0.0 {
        (part.bounds.min[axis], part.bounds.max[axis])
    } else {
        (-part.bounds.max[axis], -part.bounds.min[axis])
    };
    let sign = up[axis];
    let on_axis = |along: f64| bar.frame().point(bar.middle().extend(sign * along));
    let stock = bar.bounds(sign * (low - HAT - block.depth_mm - TAIL), sign * (high + TOP));
    let long = high - low;

    let design = |position: Position, found_here: bool, frame: &Placement, nose: DVec3, top: f64| {
        let part_there = frame.inverse().bounds(&part.bounds);
        let sticks_out = HAT + long + top;
        let held = collet::Held {
            shop,
            material,
            block,
            bar: &bar,
            position,
            found_here,
            nose,
            sticks_out,
            depth: block.depth_mm,
            part: part_there,
        };
        collet::design(&held).map(|c| Hold::Collet(Box::new(c)))
    };
    // Nose up: the zero is in the middle of the nose's face.
    let first_frame = Placement { turn: turn(up, way.back), shift: on_axis(low - HAT) };
    let first = design(Position::Stands, true, &first_frame, DVec3::ZERO, TOP).map_err(HoldError::First)?;
    let mut setups = vec![first.setup("side 1", Duty::AllButHat, first_frame, shop)];
    // Nose to the right: the zero is in the middle of the finished end.
    for (k, (place, f)) in sides.into_iter().enumerate() {
        let frame = Placement { turn: turn(f.up, f.up.cross(up)), shift: on_axis(high) };
        let nose = DVec3::new(-(long + HAT), 0.0, 0.0);
        let hold = design(Position::Lies(place), k == 0, &frame, nose, 0.0).map_err(HoldError::First)?;
        setups.push(hold.setup(&format!("side {}", k + 2), Duty::Only(f.only), frame, shop));
    }
    let mut findings: Vec<Finding> = as_drawn(part, &bar).into_iter().collect();
    setups.iter().for_each(|s| findings.extend(doubts(s)));
    let id = SchemeId { school: School::Bar, ..id };
    let mut out = Scheme { bar: Some(bar), ..Scheme::begun(id, stock, setups, (up, HAT), findings) };

    // Sawn off, and the other end.
    let left = if sign > 0.0 {
        Box3 { min: stock.min.with_axis(axis, part.bounds.min[axis] - SAWN_OVER), max: stock.max }
    } else {
        Box3 { min: stock.min, max: stock.max.with_axis(axis, part.bounds.max[axis] + SAWN_OVER) }
    };
    let name = format!("side {}", out.setups.len() + 1);
    let way_back = way.back;
    let way = way_of_further(part, -up, shop, material, wish, &name, &Duty::All);
    let frame = standing(way.up, way.back, &part.bounds);
    let mut last = Stand::second(way, -up, frame, Duty::All, SAWN_OVER);
    last.name = name;
    let saw = Some(Sawn { left, over: SAWN_OVER });
    let flat = last.held_by() == Some(HoldKind::Vise);
    // In the collet again, by what stays of the bar, where flat jaws do not hold it.
    let own = own_section(part, axis).is_some_and(|own| own.form == bar.form);
    let depth = block.depth_mm.at_most(long - OUT_OF_COLLET);
    let again = if !own {
        Err("its outside is not that of the bar any more".to_string())
    } else if depth < SHORT * 2.0 * bar.radii()[0] {
        Err(format!("it is {:.0} mm long: too little of it would be in the collet", len(long)))
    } else {
        let frame = Placement { turn: turn(-up, way_back), shift: on_axis(low + (long - depth)) };
        let held = collet::Held {
            shop,
            material,
            block,
            bar: &bar,
            position: Position::StandsAgain,
            found_here: true,
            nose: DVec3::ZERO,
            sticks_out: long - depth + SAWN_OVER,
            depth,
            part: frame.inverse().bounds(&part.bounds),
        };
        collet::design(&held).map(|c| Hold::Collet(Box::new(c)).setup(&last.name, Duty::All, frame, shop))
    };
    if offers {
        let kinds = last.offers(b).into_iter().filter(|o| o.kind != HoldKind::Collet);
        out.offers.extend(kinds.map(|o| Offer { chosen: o.chosen && (flat || again.is_err()), ..o }));
        out.offers.push(match &again {
            Ok(s) => Offer::of(HoldKind::Collet, s, !flat),
            Err(why) => Offer::refused(HoldKind::Collet, &last.name, why),
        });
    }
    let setup = match again {
        Ok(s) if !flat => Some(s),
        _ => last.setup(b),
    };
    match setup {
        Some(s) => {
            let s = Setup { sawn: saw, ..s };
            out.findings.extend(doubts(&s));
            out.setups.push(s);
        }
        None => {
            let why = last.why_not();
            out.findings.push(no_grip(&last.name, &why, wish.order));
            out.not_planned.push(last.not_planned(why));
        }
    }
    let more = room(&out, &stock_in(&out.setups[0], &stock), &shop.machine, &shop.vise);
    out.findings.extend(more);
    Ok(out)
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

trait WithAxis {
    fn with_axis(self, axis: usize, v: f64) -> Self;
}

impl WithAxis for DVec3 {
    fn with_axis(mut self, axis: usize, v: f64) -> DVec3 {
        self[axis] = v;
        self
    }
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
