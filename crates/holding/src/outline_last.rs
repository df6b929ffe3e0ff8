//! Schools that leave the outline for the last, so that nothing stands around the part while it is cut.

use crate::frame::{Duty, HoldError, Offer, Scheme, StockChoice};
use crate::grip::left_below;
use crate::hold::{Hold, HoldKind};
use crate::plan::{AS_IT_COMES, Blank, LEAST_LEFT, as_it_comes, block_of, doubts, no_grip, room, stock_in};
use crate::plate;
use crate::scheme::SchemeId;
use crate::stand::{Bench, Stand};
use crate::strapped;
use crate::vise::{Bearing, Grip, Held, RAW};
use crate::ways::{ABOVE_JAW, LEAST_GRIP, Way, for_duty, grips, standing};
use geom::{Box3, DVec3, Placement};
use part::{Part, View};
use reason::{Finding, Kind, Place, Severity, Sure, len};

/// Sides across need walls, and these are cut last.
fn nothing_across(across: &[Stand]) -> Result<(), HoldError> {
    if across.iter().all(Stand::is_given_up) {
        return Ok(());
    }
    Err(HoldError::First("what is cut from across would have to stand on walls that are cut last".into()))
}

/// Both faces and all inside the outline in the vise, which holds the block around the part; then the outline, on a plate by the part's own holes.
pub(crate) fn inside_first(
    b: &Bench,
    choice: &StockChoice,
    way: &Way,
    id: SchemeId,
    across: &[Stand],
    offers: bool,
) -> Result<Scheme, HoldError> {
    let Bench { part, shop, material, .. } = *b;
    let refused = |why: &str| Err(HoldError::First(why.into()));
    if id.hold != HoldKind::Plate || !b.wish.kinds.allow(id.hold) {
        return refused("only a plate leaves the outline free all around");
    }
    nothing_across(across)?;
    let (up, back) = (way.up, way.back);
    let mut findings = Vec::new();
    let Blank { stock, hat, .. } = block_of(part, &shop.vise, choice, up, id.school, &mut findings);
    if hat < AS_IT_COMES {
        return refused("the block that was chosen leaves nothing to face below the part");
    }
    // The block's sides stay raw until the last: high jaws are in nobody's way.
    let grip = |height: f64| grips(&shop.vise).into_iter().rfind(|g| *g >= LEAST_GRIP && *g <= height - ABOVE_JAW);
    let block = |box_: &Box3, up: DVec3, back: DVec3| {
        let frame = standing(up, back, box_);
        let size = frame.inverse().bounds(box_).size();
        grip(size.z).map(|g| (frame, size, g))
    };
    // What the second side finds: the same block, its lower face done.
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let mut done = stock;
    if up[axis] > 0.0 {
        done.max[axis] = part.bounds.max[axis];
    } else {
        done.min[axis] = part.bounds.min[axis];
    }
    let (Some(raw), Some(turned)) = (block(&stock, up, back), block(&done, -up, -back)) else {
        return refused("it is too low: the jaws find too little to grip");
    };
    let in_vise = |name: &str, turned: bool, (frame, size, grip): (Placement, DVec3, f64), bores| {
        let held = Held {
            on: RAW,
            grip,
            length: size.x,
            above: size.z - grip,
            bearing: Some(Bearing::of_block(size, &shop.vise)),
        };
        let g = Grip { bores, ..held.gripped(size, shop, material) };
        Hold::Vise(Box::new(g)).setup(name, Duty::Inside { turned }, frame, shop)
    };
    // Upright as the second side left it.
    let frame = standing(-up, -back, &part.bounds);
    let asked = b.asked(frame, "side 3", 0.0);
    let plate = plate::design(&asked, &frame.inverse().bounds(&stock)).map_err(HoldError::First)?;
    let seen_from_above = turned.0.inverse().after(&frame);
    let bores = plate.pins.iter().map(|p| seen_from_above.point(p.at.extend(0.0)).truncate()).collect::<Vec<_>>();
    let bores = <[geom::DVec2; 2]>::try_from(bores).ok();
    let setups = vec![
        in_vise("side 1", false, raw, None),
        in_vise("side 2", true, turned, bores),
        Hold::Plate(Box::new(plate)).setup("side 3", Duty::Outline, frame, shop),
    ];
    setups.iter().for_each(|s| findings.extend(doubts(s)));
    findings.extend(across.iter().filter_map(Stand::stays_rough));
    let mut out = Scheme::begun(id, stock, setups, (up, hat), findings);
    if offers {
        out.offers.push(Offer::of(HoldKind::Plate, &out.setups[2], true));
    }
    let more = room(&out, &stock_in(&out.setups[0], &stock), &shop.machine, &shop.vise);
    out.findings.extend(more);
    Ok(out)
}

/// A plate on the table, its lower face as it comes: straps at the ends of its block while all inside the outline is cut, then screws through its own holes. What is
/// open below follows, turned over and screwed down again.
pub(crate) fn on_table(
    b: &Bench,
    choice: &StockChoice,
    way: &Way,
    id: SchemeId,
    across: &[Stand],
    offers: bool,
) -> Result<Scheme, HoldError> {
    let Bench { part, shop, material, wish } = *b;
    let refused = |why: String| Err(HoldError::First(why));
    if id.hold != HoldKind::Straps || !wish.kinds.allow(id.hold) {
        return refused("on the table only straps and screws hold it, and they are not wanted".into());
    }
    nothing_across(across)?;
    let Some(strap) = shop.straps.first() else { return refused("the shop has no straps".into()) };
    let (up, back) = (way.up, way.back);
    let along = back.cross(up).abs();
    let size = part.bounds.size();
    if size.dot(along) < size.dot(back.abs()) {
        return refused("its long side lies along the table".into());
    }
    let mut findings = vec![as_it_comes(part, up)];
    let Blank { mut stock, hat, .. } = block_of(part, &shop.vise, choice, up, id.school, &mut findings);
    if hat > AS_IT_COMES {
        return refused(format!(
            "the block that was chosen has {:.2} mm to come off below, and that face stays as it is",
            len(hat)
        ));
    }
    let axis = (0..3).find(|&k| along[k] > 0.5).unwrap_or(0);
    let end = strapped::end_of(strap);
    if *choice == StockChoice::Rule {
        stock.min[axis] = part.bounds.min[axis] - end;
        stock.max[axis] = part.bounds.max[axis] + end;
    }
    let over = (part.bounds.min[axis] - stock.min[axis]).at_most(stock.max[axis] - part.bounds.max[axis]);
    if over < end - 1e-6 {
        return refused(format!(
            "straps want {:.0} mm of stock at each end, and the block that was chosen has {:.0}",
            len(end),
            len(over)
        ));
    }
    let frame = standing(up, back, &stock);
    let first = strapped::design(&b.asked(frame, "side 1", 0.0), Some(&frame.inverse().bounds(&stock)))
        .map_err(HoldError::First)?;
    findings.push(ends_stay(part, &stock, axis));
    let first = Hold::Straps(Box::new(first)).setup("side 1", Duty::InsideThenOutline, frame, shop);
    let mut out = Scheme::begun(id, stock, vec![first], (up, hat), findings);
    if left_below(&View::new(part, frame.inverse())) >= LEAST_LEFT {
        let way = for_duty(part, way, &Duty::Seen, shop, material, wish);
        let second = Stand::second(way, -up, standing(-up, -back, &part.bounds), Duty::Seen, 0.0);
        match second.setup(b) {
            Some(s) => {
                if offers {
                    out.offers.push(Offer::of(HoldKind::Straps, &s, true));
                }
                out.findings.extend(doubts(&s));
                out.setups.push(s);
            }
            None => {
                let why = second.why_not();
                out.findings.push(no_grip(&second.name, &why, wish.order));
                out.not_planned.push(second.not_planned(why));
            }
        }
    }
    out.findings.extend(across.iter().filter_map(Stand::stays_rough));
    let more = room(&out, &stock_in(&out.setups[0], &stock), &shop.machine, &shop.vise);
    out.findings.extend(more);
    Ok(out)
}

/// What the straps lie on is no part of the piece in the end.
fn ends_stay(part: &Part, stock: &Box3, axis: usize) -> Finding {
    let (mut low, mut high) = (*stock, *stock);
    low.max[axis] = part.bounds.min[axis] - strapped::WAY_ROUND;
    high.min[axis] = part.bounds.max[axis] + strapped::WAY_ROUND;
    Finding::new(
        Kind::EndsStay,
        Severity::Note,
        format!("{:.0} mm of stock stay at each end under the straps, parted from the part", len(low.size()[axis])),
        "They hold it down while all inside the outline is cut. Take them off the table with the straps.",
    )
    .at([low, high].map(|b| Place::new(b.min, b.max)).to_vec())
}
