//! The choice: block, grip, setups.

use crate::bond;
use crate::frame::{Choice, Duty, HoldError, Order, Scheme, Setup, StockChoice, Wish};
use crate::from_bar::{from_bar, suits};
use crate::grip::left_below;
use crate::hold::{Hold, HoldKind};
use crate::outline_last::{inside_first, on_table};
use crate::scheme::{SchemeId, School, schemes};
use crate::stand::{Bench, Stand};
use crate::vise::{Bearing, Held, RAW, SEAT, TOUCH};
use crate::ways::{ABOVE_JAW, LEAST_GRIP, Sides, TALL, TOP, Way, for_duty, grip_of, grips, sides, standing};
use geom::{Box3, DVec3, Placement};
use part::{Part, Surface, View};
use reason::{Act, Finding, Kind, Place, Severity, Sure, len};
use shop::Shop;
use shop::machine::{Machine, Material, Vise};

/// Material at the sides at least, mm (common practice ≥ 1, no source); the block is rounded up to whole mm.
const SIDE: f64 = 1.5;

/// What is left to come off a face counts from here, mm.
pub(crate) const AS_IT_COMES: f64 = 0.02;
/// Less that only the lower side shows is no reason for a second one, mm³.
pub(crate) const LEAST_LEFT: f64 = 0.5;

/// Each half of an outline is cut this far beyond the middle, mm (common practice, no source).
const WITNESS: f64 = 0.3;

/// Choose sides, grip and block.
pub fn plan(part: &Part, shop: &Shop, material: &Material, choice: &Choice) -> Result<Scheme, HoldError> {
    let sides = sides(part, shop, material, &choice.wish);
    plan_on(part, shop, material, choice, &sides)
}

/// Choose grip and block for sides that are chosen.
pub fn plan_on(
    part: &Part,
    shop: &Shop,
    material: &Material,
    choice: &Choice,
    sides: &Sides,
) -> Result<Scheme, HoldError> {
    let wanted = choice.wish.scheme.filter(|_| sides.lost.is_none());
    if wanted.is_none() {
        match proposed_bar(part, shop, material, choice)? {
            Ok(Some(scheme)) => {
                return Ok(Scheme { compared: sides.ways.iter().map(Way::words).collect(), ..scheme });
            }
            Ok(None) => {}
            Err(why) => {
                let by_rule = Choice { stock: StockChoice::Rule, ..*choice };
                let mut scheme = plan_on(part, shop, material, &by_rule, sides)?;
                scheme.findings.push(no_bar(&why));
                return Ok(scheme);
            }
        }
    }
    let way = &sides.ways[0];
    let id = wanted.unwrap_or_else(|| way.id(School::Deck, way.held_by().unwrap_or(HoldKind::Vise)));
    let b = Bench { part, shop, material, wish: &choice.wish };
    let stock = choice.block(id.school);
    let planned = match plan_way(&b, &stock, way, id, &b.further_sides(way.up), true) {
        Err(HoldError::First(why)) if wanted.is_some() => Err(why),
        planned => {
            let scheme = planned?;
            wanted.and_then(|id| scheme.refused(id, &stock)).map_or(Ok(scheme), Err)
        }
    };
    let mut scheme = match planned {
        Ok(scheme) => scheme,
        Err(why) => {
            // What was chosen cannot be: the proposal takes its place, and says so.
            let open = Choice { wish: Wish { scheme: None, ..choice.wish }, ..*choice };
            let mut proposed = plan(part, shop, material, &open)?;
            proposed.findings.push(lost(&id, &why));
            return Ok(proposed);
        }
    };
    scheme.compared = sides.ways.iter().map(Way::words).collect();
    let too_wide = scheme.findings.iter().any(|f| f.kind == "opening");
    if wanted.is_none() && (too_wide || scheme.not_planned.iter().any(|n| n.name == "side 2")) {
        scheme = otherwise(part, shop, material, choice, scheme)?;
        if choice.wish.order == Order::Best && scheme.not_planned.iter().any(|n| n.name == "side 2") {
            scheme = laid_otherwise(part, shop, material, choice, scheme)?;
        }
    }
    if wanted.is_none()
        && !scheme.not_planned.is_empty()
        && let Some(bar) = bar_instead(part, shop, material, choice)?
    {
        scheme = Scheme { compared: scheme.compared, ..bar };
    }
    if let Some((id, why)) = &sides.lost {
        scheme.findings.push(lost(id, why));
    }
    Ok(scheme)
}

/// A chosen bar that nothing holds.
fn no_bar(why: &str) -> Finding {
    Finding::new(
        Kind::StockNotPlanned,
        Severity::Stop,
        format!("The programs are not made for the bar that was chosen: {why}"),
        "They take a block by the rule. Choose another piece, or a block.",
    )
    .keyed("bar")
}

/// From a bar, where a part is best cut from one or a bar was chosen for it: of both ends first the one that takes fewer setups. The inner error says why a chosen bar
/// is not held.
fn proposed_bar(
    part: &Part,
    shop: &Shop,
    material: &Material,
    choice: &Choice,
) -> Result<Result<Option<Scheme>, String>, HoldError> {
    let stock = choice.block(School::Bar);
    let (axis, chosen) = match stock {
        StockChoice::Bar { bar } => (Some(bar.axis), true),
        // A block by the rule that a person asked for is a block.
        _ if choice.firm => (None, false),
        _ => (suits(part, shop), false),
    };
    let Some(axis) = axis else { return Ok(Ok(None)) };
    if !choice.wish.kinds.allow(HoldKind::Collet) {
        return Ok(if chosen { Err("a collet block is not wanted".into()) } else { Ok(None) });
    }
    let (best, why) = along_a_bar(part, shop, material, choice, axis)?;
    Ok(match best {
        Some(s) if chosen || s.not_planned.is_empty() => Ok(Some(s)),
        None if chosen => Err(why.unwrap_or_else(|| "no collet block holds it".into())),
        _ => Ok(None),
    })
}

/// Where a side is not held as a block would be: from a bar, if all is held so.
fn bar_instead(part: &Part, shop: &Shop, material: &Material, choice: &Choice) -> Result<Option<Scheme>, HoldError> {
    if choice.firm || !choice.wish.kinds.allow(HoldKind::Collet) {
        return Ok(None);
    }
    for axis in 0..3 {
        let (best, _) = along_a_bar(part, shop, material, choice, axis)?;
        if let Some(s) = best.filter(|s| s.not_planned.is_empty()) {
            return Ok(Some(s));
        }
    }
    Ok(None)
}

/// From a bar along an axis of the part, the better end up first; else why not.
fn along_a_bar(
    part: &Part,
    shop: &Shop,
    material: &Material,
    choice: &Choice,
    axis: usize,
) -> Result<(Option<Scheme>, Option<String>), HoldError> {
    let stock = choice.block(School::Bar);
    let mut best: Option<Scheme> = None;
    let mut why = None;
    for positive in [true, false] {
        if matches!(choice.wish.order, Order::Up { axis: a, positive: p } if (a, p) != (axis, positive)) {
            continue;
        }
        let id = SchemeId { school: School::Bar, hold: HoldKind::Collet, up: (axis, positive), along: (axis + 1) % 3 };
        let wish = Wish { scheme: Some(id), ..choice.wish };
        let there = sides(part, shop, material, &wish);
        let b = Bench { part, shop, material, wish: &wish };
        let Some(way) = there.ways.first().filter(|_| there.lost.is_none()) else { continue };
        match plan_way(&b, &stock, way, id, &[], true) {
            Ok(s) => {
                let made = |s: &Scheme| s.setups.iter().filter(|s| s.hold.makes().is_some()).count();
                let worth = |s: &Scheme| (s.not_planned.len(), s.setups.len(), made(s));
                if best.as_ref().is_none_or(|b| worth(&s) < worth(b)) {
                    best = Some(s);
                }
            }
            Err(HoldError::First(w)) => why = Some(w),
            Err(e) => return Err(e),
        }
    }
    Ok((best, why))
}

/// Where no usual way holds the second side: the first of the others that does, or else why they do not either.
fn otherwise(
    part: &Part,
    shop: &Shop,
    material: &Material,
    choice: &Choice,
    mut usual: Scheme,
) -> Result<Scheme, HoldError> {
    let open = Choice { wish: Wish { scheme: None, ..choice.wish }, ..*choice };
    let all = schemes(part, shop, material, &open)?;
    if let Some(c) = all.iter().find(|c| c.scheme.is_ok()) {
        let pinned = Wish { scheme: Some(c.id), ..choice.wish };
        let there = sides(part, shop, material, &pinned);
        let b = Bench { part, shop, material, wish: &pinned };
        let way = &there.ways[0];
        let other = plan_way(&b, &choice.block(c.id.school), way, c.id, &b.further_sides(way.up), true)?;
        return Ok(Scheme { compared: usual.compared, ..other });
    }
    let stuck = all.iter().find(|c| c.id.school == School::Sheet && c.id.hold == HoldKind::Bond);
    if let (Some(why), Some(n)) =
        (stuck.and_then(|c| c.scheme.as_ref().err()), usual.not_planned.iter_mut().find(|n| n.name == "side 2"))
    {
        n.why = format!("{}; as a sheet stuck down: {why}", n.why);
        usual.findings.retain(|f| f.kind != "no_grip" || f.setup.as_deref() != Some("side 2"));
        usual.findings.push(no_grip("side 2", &n.why, choice.wish.order));
    }
    Ok(usual)
}

/// Where nothing holds the second side as the part lies best: the first of the other lays in which every side is held and nothing more stays rough. It takes more
/// setups, tilted ones perhaps; but it can be made.
fn laid_otherwise(
    part: &Part,
    shop: &Shop,
    material: &Material,
    choice: &Choice,
    best: Scheme,
) -> Result<Scheme, HoldError> {
    let tried = (0..3).find(|&k| best.up[k].abs() > 0.5).unwrap_or(2);
    let mut others: Vec<(usize, f64, Scheme)> = Vec::new();
    for axis in (0..3).filter(|k| *k != tried) {
        for positive in [true, false] {
            let wish = Wish { order: Order::Up { axis, positive }, ..choice.wish };
            let open = Choice { wish, ..*choice };
            let sides = sides(part, shop, material, &wish);
            // Without another try of its own: there is no end to them.
            let (way, b) = (&sides.ways[0], Bench { part, shop, material, wish: &wish });
            let id = way.id(School::Deck, way.held_by().unwrap_or(HoldKind::Vise));
            if let Ok(s) = plan_way(&b, &open.block(id.school), way, id, &b.further_sides(way.up), true)
                && s.not_planned.is_empty()
            {
                // Not at the price of walls that stay rough or that no cutter reaches.
                let rough = s.findings.iter().any(|f| f.kind == "not_tilted") || free_faces(part, way);
                if !rough && way.tall <= 0.0 {
                    others.push((s.setups.len(), way.hidden, s));
                }
            }
        }
    }
    let first = others.into_iter().min_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    Ok(match first {
        Some((_, _, s)) => Scheme { compared: best.compared, ..s },
        None => best,
    })
}

/// Do curved faces lie slanted to the spindle?
fn free_faces(part: &Part, way: &Way) -> bool {
    let curved =
        |k: u32| !matches!(part.faces[k as usize].surface, Surface::Plane { .. } | Surface::Cone { hollow: true, .. });
    [way.up, -way.up].into_iter().any(|up| {
        let view = View::new(part, standing(up, way.back, &part.bounds).inverse());
        view.slanted().into_iter().any(curved)
    })
}

/// A chosen way that cannot be.
fn lost(id: &SchemeId, why: &str) -> Finding {
    Finding::new(
        Kind::DecisionLost,
        Severity::Warn,
        format!("The way that was chosen cannot be any more ({}): {why}", id.words()),
        "The proposed way takes its place. Choose another on the Hold ticket, or undo what changed.",
    )
    .keyed("scheme")
    .mended_by("Take the proposed way", Act::Scheme { id: None })
}

/// Is it a block for the part at all?
fn block_fault(part: &Part, stock: &StockChoice) -> Result<(), HoldError> {
    let axis = |k: usize| ['X', 'Y', 'Z'][k];
    let size = part.bounds.size();
    match stock {
        StockChoice::Rule | StockChoice::Bar { .. } => {}
        StockChoice::Over(over) => {
            for (k, o) in over.iter().enumerate() {
                if !o.iter().all(|v| v.is_finite() && *v < 2000.0) {
                    return Err(HoldError::NoSize);
                }
                if o.iter().any(|v| *v < -1e-3) {
                    return Err(HoldError::TooSmall { axis: axis(k), have: size[k] + o[0] + o[1], need: size[k] });
                }
            }
        }
        StockChoice::Sizes(s) => {
            if s.iter().any(|v| !v.is_finite() || *v <= 0.0 || *v > 2000.0) {
                return Err(HoldError::NoSize);
            }
            if let Some(k) = (0..3).find(|&k| s[k] < size[k] - 1e-6) {
                return Err(HoldError::TooSmall { axis: axis(k), have: s[k], need: size[k] });
            }
        }
    }
    Ok(())
}

/// What a setup makes doubtful.
pub(crate) fn doubts(s: &Setup) -> Vec<Finding> {
    let (above, grip) = s.hold.stands_above();
    let freely = s.hold.turns_freely().then(|| turns_freely(&s.name));
    tall(&s.name, above, grip).into_iter().chain(freely).collect()
}

/// A way as a whole scheme of that name, with these sides across. With `offers`, what else would hold each side is looked at.
pub(crate) fn plan_way(
    b: &Bench,
    choice: &StockChoice,
    way: &Way,
    id: SchemeId,
    across: &[Stand],
    offers: bool,
) -> Result<Scheme, HoldError> {
    let Bench { part, shop, material, wish } = *b;
    block_fault(part, choice)?;
    match id.school {
        School::Inside => return inside_first(b, choice, way, id, across, offers),
        School::Table => return on_table(b, choice, way, id, across, offers),
        School::Bar => return from_bar(b, choice, way, id, offers),
        _ if matches!(choice, StockChoice::Bar { .. }) => {
            return Err(HoldError::First("the stock that was chosen is a bar".into()));
        }
        School::Deck | School::Half | School::Sheet => {}
    }
    let (up, back) = (way.up, way.back);
    let mut findings = Vec::new();
    let Blank { stock, hat, grip, half } = block_of(part, &shop.vise, choice, up, id.school, &mut findings);
    let sheet = id.school == School::Sheet;
    // Where there is no hat, a little more than half is cut from each side.
    let (first, second) = match half {
        _ if sheet => (Duty::AllButHat, Duty::Seen),
        None => (Duty::AllButHat, Duty::All),
        Some(down_to) => {
            let over = hat + part.bounds.size().dot(up.abs());
            let second = Duty::Half { down_to: over - down_to - WITNESS, turned: true };
            (Duty::Half { down_to, turned: false }, second)
        }
    };
    let frame = standing(up, back, &stock);
    let first = if sheet {
        findings.push(as_it_comes(part, up));
        stuck_sheet(b, first, frame, hat)?
    } else {
        first_side(b, first, frame, &stock, grip)
    };
    findings.extend(doubts(&first));
    let frame = standing(-up, -back, &part.bounds);
    let one_side = sheet && left_below(&View::new(part, first.part_from_work.inverse())) < LEAST_LEFT;
    let mut later = Vec::new();
    if !one_side {
        let way = for_duty(part, way, &second, shop, material, wish);
        later.push(Stand::second(way, -up, frame, second, if sheet { 0.0 } else { hat }));
    }
    later.extend(across.iter().cloned());
    let school = match half {
        _ if sheet => School::Sheet,
        Some(_) => School::Half,
        None => School::Deck,
    };
    let hold = if one_side { HoldKind::Bond } else { later[0].held_by().unwrap_or(id.hold) };
    let mut out = Scheme::begun(SchemeId { school, hold, ..id }, stock, vec![first], (up, hat), findings);
    for (k, s) in later.iter().enumerate() {
        let setup = s.setup(b);
        if let Some(told) = s.stays_rough() {
            // It says so where it is; nothing else hangs on it.
            out.findings.push(told);
            continue;
        }
        if setup.is_none() {
            let why = s.why_not();
            out.findings.push(no_grip(&s.name, &why, wish.order));
            out.not_planned.push(s.not_planned(why));
        }
        if offers && (k == 0 || setup.is_some()) {
            out.offers.extend(s.offers(b));
        }
        let Some(setup) = setup else { continue };
        if k > 0 && out.not_planned.iter().any(|n| n.name == "side 2") {
            let why = "side 2, on which it would stand, cannot be held";
            out.not_planned.push(s.not_planned(why.into()));
            continue;
        }
        out.findings.extend(doubts(&setup));
        out.setups.push(setup);
    }
    let more = room(&out, &stock_in(&out.setups[0], &stock), &shop.machine, &shop.vise);
    out.findings.extend(more);
    Ok(out)
}

/// A sheet stuck down by its lower face. `under`: what would have to come off below.
fn stuck_sheet(b: &Bench, duty: Duty, frame: Placement, under: f64) -> Result<Setup, HoldError> {
    if !b.wish.kinds.allow(HoldKind::Bond) {
        return Err(HoldError::First("not wanted".into()));
    }
    if under > AS_IT_COMES {
        let why = format!(
            "the block that was chosen has {:.2} mm to come off below, and a sheet stays there as it is",
            len(under)
        );
        return Err(HoldError::First(why));
    }
    let asked = b.asked(frame, "side 1", TOP);
    let bond = bond::design(&asked, true).map_err(HoldError::First)?;
    Ok(Hold::Bond(Box::new(bond)).setup("side 1", duty, frame, b.shop))
}

/// The face by which a sheet is stuck down is not cut.
pub(crate) fn as_it_comes(part: &Part, up: DVec3) -> Finding {
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let mut place = part.bounds;
    let low = if up[axis] > 0.0 { place.min[axis] } else { place.max[axis] };
    (place.min[axis], place.max[axis]) = (low, low);
    Finding::new(
        Kind::AsItComes,
        Severity::Note,
        format!(
            "The {} face stays as the stock comes: rolled or ground, and as flat as that is",
            part::direction_name(-up)
        ),
        "Take a sheet that is flat and clean there, or choose a way that faces both sides.",
    )
    .at(vec![Place::new(place.min, place.max)])
}

/// The block's sizes as a setup sees it.
pub(crate) fn stock_in(s: &Setup, stock: &Box3) -> DVec3 {
    s.part_from_work.inverse().bounds(stock).size()
}

/// The raw block between flat jaws.
fn first_side(b: &Bench, duty: Duty, frame: Placement, stock: &Box3, grip: f64) -> Setup {
    let size = frame.inverse().bounds(stock).size();
    let held = Held {
        on: RAW,
        grip,
        length: size.x,
        above: size.z - grip,
        bearing: Some(Bearing::of_block(size, &b.shop.vise)),
    };
    held.grip(size, b.shop, b.material).setup("side 1", duty, frame, b.shop)
}

/// A block with how its first side is gripped.
pub(crate) struct Blank {
    /// Part coordinates.
    pub stock: Box3,
    /// Stock below the part, mm.
    pub hat: f64,
    /// Height of jaw on the raw block, mm.
    pub grip: f64,
    /// No hat: the first side cuts the outline down to here (work coordinates), mm.
    pub half: Option<f64>,
}

/// How deep the first side may go where a block without a hat is gripped by its own lower half, and the grip, mm. `hat` is what lies below the part.
fn half_of(height: f64, hat: f64, vise: &Vise) -> Option<(f64, f64)> {
    let down_to = hat + height / 2.0 - WITNESS;
    let grip = grips(vise).into_iter().rfind(|&g| g >= LEAST_GRIP && g + ABOVE_JAW <= down_to)?;
    Some((grip, down_to))
}

/// The block, the hat below the part and the grip on it.
pub(crate) fn block_of(
    part: &Part,
    vise: &Vise,
    choice: &StockChoice,
    up: DVec3,
    school: School,
    findings: &mut Vec<Finding>,
) -> Blank {
    let mut half = None;
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let size = part.bounds.size();
    let height = size[axis];
    let mut grip1 = grip_of(height, vise);
    let (stock, hat) = match *choice {
        StockChoice::Rule => {
            let thin = half_of(height, TOP, vise).filter(|_| school == School::Half);
            let hat = match school {
                School::Sheet | School::Table => 0.0,
                School::Inside => TOP,
                _ if thin.is_some() => TOP,
                _ => grip1 + ABOVE_JAW,
            };
            if let Some((grip, down_to)) = thin {
                (grip1, half) = (grip, Some(down_to));
                findings.push(witness(part, up));
            }
            let mut b = part.bounds;
            for k in 0..3 {
                if k != axis {
                    let whole = (size[k] + 2.0 * SIDE).ceil();
                    let side = (whole - size[k]) / 2.0;
                    b.min[k] -= side;
                    b.max[k] += side;
                }
            }
            let (over, under) = if up[axis] > 0.0 { (TOP, hat) } else { (hat, TOP) };
            b.max[axis] += over;
            b.min[axis] -= under;
            (b, hat)
        }
        StockChoice::Bar { .. } => (part.bounds, 0.0),
        StockChoice::Sizes(_) | StockChoice::Over(_) => {
            let mut b = part.bounds;
            for k in 0..3 {
                let [low, high] = match *choice {
                    StockChoice::Over(o) => o[k].map(|v| v.at_least(0.0)),
                    StockChoice::Sizes(s) if k == axis => {
                        let extra = s[k] - size[k];
                        let top = if matches!(school, School::Sheet | School::Table) {
                            extra
                        } else {
                            TOP.at_most(extra / 2.0)
                        };
                        if up[axis] > 0.0 { [extra - top, top] } else { [top, extra - top] }
                    }
                    StockChoice::Sizes(s) => [(s[k] - size[k]) / 2.0; 2],
                    StockChoice::Rule | StockChoice::Bar { .. } => [0.0; 2],
                };
                b.min[k] -= low;
                b.max[k] += high;
            }
            let hat =
                if up[axis] > 0.0 { part.bounds.min[axis] - b.min[axis] } else { b.max[axis] - part.bounds.max[axis] };
            match grips(vise)
                .into_iter()
                .rfind(|&g| g + ABOVE_JAW <= hat + 1e-9 && g >= LEAST_GRIP && g <= grip1.at_least(LEAST_GRIP))
            {
                Some(g) => grip1 = g,
                None if matches!(school, School::Sheet | School::Inside | School::Table) => {}
                None if half_of(height, hat, vise).is_some() => {
                    let (grip, down_to) = half_of(height, hat, vise).unwrap_or_default();
                    (grip1, half) = (grip, Some(down_to));
                    findings.push(witness(part, up));
                }
                None => {
                    grip1 = (hat - ABOVE_JAW).at_least(0.0);
                    findings.push(Finding::new(
                        Kind::NoHat,
                        Severity::Stop,
                        format!(
                            "The block leaves {hat:.1} mm below the part; {:.0} mm are needed to hold it",
                            len(LEAST_GRIP + ABOVE_JAW),
                            hat = len(hat)
                        ),
                        "Take a thicker block. For half from each side it is too thin: the jaws need that much below the middle.",
                    ));
                }
            }
            (b, hat)
        }
    };
    Blank { stock, hat, grip: grip1, half }
}

/// A round part that nothing turns.
fn turns_freely(name: &str) -> Finding {
    Finding::new(
        Kind::TurnsFreely,
        Severity::Warn,
        format!("What holds {name} is round: nothing in it says how far the part is turned, and what is cut there hangs on it"),
        "Scribe a line across part and hat before it comes out of the first side, at the right end along X, and set it to that line; or put a pin of the first side's hole against a stop.",
    )
    .in_setup(name)
    .keyed(name)
}

/// Where the halves meet a line may be seen.
fn witness(part: &Part, up: DVec3) -> Finding {
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let middle = part.bounds.middle()[axis];
    let mut place = part.bounds;
    (place.min[axis], place.max[axis]) = (middle - 2.0 * WITNESS, middle + 2.0 * WITNESS);
    let off = 2.0 * (TOUCH + SEAT);
    Finding::new(
        Kind::WitnessLine,
        Severity::Note,
        format!("The outline is cut half from each side: where they meet a line of up to {off:.2} mm may be seen", off = len(off)),
        "The block leaves no hat below the part. The line is as high as the zero of the second side is off; indicate the finished wall, or take a thicker block.",
    )
    .at(vec![Place::new(place.min, place.max)])
}

/// Much above little grip is told.
fn tall(name: &str, above: f64, grip: f64) -> Option<Finding> {
    (grip > 0.0 && above > TALL * grip).then(|| {
        Finding::new(
            Kind::Tall,
            Severity::Warn,
            format!("{above:.0} mm stand above {grip:.0} mm of grip", above = len(above), grip = len(grip)),
            "More than 4 × the grip (common practice, no source): take light cuts, or grip deeper.",
        )
        .in_setup(name)
        .keyed(name)
    })
}

/// A setup that the vise cannot hold.
pub(crate) fn no_grip(name: &str, why: &str, order: Order) -> Finding {
    let f = Finding::new(
        Kind::NoGrip,
        Severity::Stop,
        format!("{name} cannot be held: {why}"),
        "No program is made for it. Look at the other whole ways on the Hold ticket, or at another end up first.",
    );
    let f = f.in_setup(name).keyed(name);
    match order {
        Order::Best => f,
        Order::Up { .. } => f.mended_by("Take the proposed sides", Act::Order { choice: None }),
    }
}

/// Does the vise open so far, and the machine travel so far?
pub(crate) fn room(scheme: &Scheme, block: &DVec3, machine: &Machine, vise: &Vise) -> Vec<Finding> {
    let mut out = Vec::new();
    for s in &scheme.setups {
        let Hold::Vise(g) = &s.hold else { continue };
        if g.opening > vise.opening_mm {
            out.push(
                Finding::new(
                    Kind::Opening,
                    Severity::Stop,
                    format!(
                        "{:.0} mm between the jaws, the {} opens {:.0} mm",
                        len(g.opening),
                        vise.name,
                        len(vise.opening_mm)
                    ),
                    "Turn the part in the vise or use a larger one.",
                )
                .in_setup(&s.name)
                .keyed(&s.name),
            );
        }
    }
    for k in 0..3 {
        let travel = machine.travel_max_mm[k] - machine.travel_min_mm[k];
        if block[k] > travel {
            out.push(
                Finding::new(
                    Kind::TooLong,
                    Severity::Stop,
                    format!(
                        "The block is {:.0} mm along {}, the machine travels {travel:.0} mm",
                        len(block[k]),
                        ["X", "Y", "Z"][k],
                        travel = len(travel)
                    ),
                    "Cut it in two stations, or on a larger machine.",
                )
                .keyed(k),
            );
        }
    }
    out
}
