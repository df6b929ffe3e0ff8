//! The choice: block, grip, setups.

use crate::frame::{Choice, Datum, Duty, HoldError, NotPlanned, Offer, Order, Scheme, Setup, StockChoice};
use crate::further::{Only, further};
use crate::hold::{Hold, HoldKind};
use crate::soft_jaws::SoftJaws;
use crate::vise::{Bearing, Grip, SEAT, TOUCH, bodies, clamp_terms, clamping};
use crate::ways::{
    ABOVE_JAW, LEAST_GRIP, Sides, TALL, TOP, Way, for_half, grip_of, grips, sides, standing, way_of_further,
};
use geom::{Box3, DVec3, Placement};
use part::Part;
use reason::{Act, Finding, Kind, Place, Severity, Sure, Term, len};
use shop::Shop;
use shop::machine::{Machine, Material, Vise};

/// Material at the sides at least, mm (common practice ≥ 1, no source); the block is rounded up to whole mm.
const SIDE: f64 = 1.5;

/// Each half of an outline is cut this far beyond the middle, mm (common practice, no source).
const WITNESS: f64 = 0.3;

/// Choose sides, grip and block.
pub fn plan(part: &Part, shop: &Shop, material: &Material, choice: &Choice) -> Result<Scheme, HoldError> {
    let sides = sides(part, shop, material, choice.order, choice.kinds);
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
    if let StockChoice::Over(over) = choice.stock {
        for (k, o) in over.iter().enumerate() {
            if !o.iter().all(|v| v.is_finite() && *v < 2000.0) {
                return Err(HoldError::NoSize);
            }
            if o.iter().any(|v| *v < -1e-3) {
                let (need, have) = (part.bounds.size()[k], part.bounds.size()[k] + o[0] + o[1]);
                return Err(HoldError::TooSmall { axis: ['X', 'Y', 'Z'][k], have, need });
            }
        }
    }
    if let StockChoice::Sizes(s) = choice.stock {
        if s.iter().any(|v| !v.is_finite() || *v <= 0.0 || *v > 2000.0) {
            return Err(HoldError::NoSize);
        }
        for k in 0..3 {
            if s[k] < part.bounds.size()[k] - 1e-6 {
                return Err(HoldError::TooSmall { axis: ['X', 'Y', 'Z'][k], have: s[k], need: part.bounds.size()[k] });
            }
        }
    }
    let way = &sides.ways[0];
    Ok(build(part, shop, material, choice, way, sides.ways.iter().map(Way::words).collect()))
}

fn build(part: &Part, shop: &Shop, material: &Material, choice: &Choice, way: &Way, compared: Vec<String>) -> Scheme {
    let (machine, vise) = (&shop.machine, &shop.vise);
    let mut findings = Vec::new();
    let (up, back) = (way.up, way.back);
    let Blank { stock, hat, grip: grip1, half } = block_of(part, vise, choice, up, &mut findings);
    // Where there is no hat, a little more than half is cut from each side.
    let (first, second) = match half {
        None => (Duty::AllButHat, Duty::All),
        Some(down_to) => {
            let over = hat + part.bounds.size().dot(up.abs());
            let second = Duty::Half { down_to: over - down_to - WITNESS, turned: true };
            (Duty::Half { down_to, turned: false }, second)
        }
    };
    let way = &for_half(part, way, &second, shop, material, choice.kinds);

    let part_from_1 = standing(up, back, &stock);
    let part_from_2 = standing(-up, -back, &part.bounds);
    let stock_1 = part_from_1.inverse().bounds(&stock).size();
    let part_2 = part_from_2.inverse().bounds(&part.bounds).size();
    let grip2 = way.jaw_top;

    findings.extend(tall("side 1", stock_1.z - grip1, grip1));
    let soft2 = soft_of(way, hat);
    match &soft2 {
        Some(j) => {
            findings.extend(tall("side 2", j.above, j.depth));
            findings.extend(turns_freely(j, "side 2"));
        }
        None => findings.extend(tall("side 2", part_2.z + hat - grip2, grip2)),
    }
    let mut not_planned = Vec::new();
    let mut held = |name: &str, w: &Way, up: DVec3, findings: &mut Vec<Finding>| {
        let holds = w.holds() || matches!(w.soft, Some(Ok(_)));
        if !holds {
            let why = w.why_not(up);
            findings.push(no_grip(name, &why, choice.order));
            not_planned.push(NotPlanned { name: name.into(), why, up });
        }
        holds
    };
    let second_held = held("side 2", way, -up, &mut findings);
    // Standing on finished faces, what the first two do not see; only when those two are done.
    let mut more: Vec<(String, Way, Only)> = Vec::new();
    for (k, f) in further(part, up).into_iter().enumerate() {
        let name = format!("side {}", k + 3);
        let w = way_of_further(part, f.up, shop, material, choice.kinds, &name, &Duty::Only(f.only.clone()));
        if held(&name, &w, f.up, &mut findings) {
            more.push((name, w, f.only));
        }
    }
    let mut openings = vec![("side 1", stock_1.y)];
    openings.extend(soft2.is_none().then_some(("side 2", part_2.y)));
    room(&openings, stock_1, machine, vise, &mut findings);

    let at = |name: &str, duty: Duty, part_from_work: Placement, body: DVec3, hold: &Held| {
        setup_hold(name, duty, part_from_work, body, hold, machine, vise, material)
    };
    let raw = Held {
        on: "raw stock",
        grip: grip1,
        length: stock_1.x,
        above: stock_1.z - grip1,
        bearing: Some(Bearing::of_block(stock_1, vise)),
    };
    let mut setups = vec![at("side 1", first, part_from_1, stock_1, &raw)];
    let mut offers = Vec::new();
    // Both ways of each further side, chosen or not.
    let mut offered =
        |setup: Option<&Setup>, name: &str, w: &Way, frame: Placement, flat: &Held, over: f64, duty: &Duty| {
            let vise_chosen = setup.is_some_and(|s| s.hold.makes().is_none());
            offers.push(if w.holds() {
                let body = frame.inverse().bounds(&part.bounds).size();
                Offer::of(HoldKind::Vise, &at(name, duty.clone(), frame, body, flat), vise_chosen)
            } else {
                Offer::refused(HoldKind::Vise, name, &w.why_no_flat_jaws(w_up(&frame)))
            });
            let looked = match &w.soft {
                Some(r) => r.clone(),
                None if choice.kinds.allow(HoldKind::SoftJaws) => {
                    crate::ways::soft(part, frame, shop, material, name, duty)
                }
                None => Err("not wanted".into()),
            };
            offers.push(match looked {
                Ok(j) => Offer::of(
                    HoldKind::SoftJaws,
                    &j.under(over).setup(name, duty.clone(), frame, shop),
                    setup.is_some_and(|s| s.hold.makes().is_some()),
                ),
                Err(why) => Offer::refused(HoldKind::SoftJaws, name, &why),
            });
        };
    let walls = Held {
        on: "finished walls",
        grip: grip2,
        length: way.contact.length,
        above: part_2.z + hat - grip2,
        bearing: way.bearing,
    };
    if !second_held {
        offered(None, "side 2", way, part_from_2, &walls, hat, &second);
    }
    if second_held {
        setups.push(match soft2 {
            Some(j) => j.setup("side 2", second.clone(), part_from_2, shop),
            None => at("side 2", second.clone(), part_from_2, part_2, &walls),
        });
        offered(setups.last(), "side 2", way, part_from_2, &walls, hat, &second);
        for (name, w, only) in more {
            let frame = standing(w.up, w.back, &part.bounds);
            let body = frame.inverse().bounds(&part.bounds).size();
            let above = body.z - w.jaw_top;
            let walls =
                Held { on: "finished walls", grip: w.jaw_top, length: w.contact.length, above, bearing: w.bearing };
            let duty = Duty::Only(only);
            if let Some(j) = soft_of(&w, 0.0) {
                findings.extend(tall(&name, j.above, j.depth));
                findings.extend(turns_freely(&j, &name));
                setups.push(j.setup(&name, duty.clone(), frame, shop));
            } else {
                findings.extend(tall(&name, above, w.jaw_top));
                setups.push(at(&name, duty.clone(), frame, body, &walls));
            }
            offered(setups.last(), &name, &w, frame, &walls, 0.0, &duty);
        }
    } else {
        let why = "side 2, on which it would stand, cannot be held";
        not_planned.extend(more.into_iter().map(|(name, w, _)| NotPlanned { name, why: why.into(), up: w.up }));
    }
    Scheme { stock, setups, not_planned, up, hat, compared, offers, findings }
}

/// Up in a setup, part coordinates.
fn w_up(part_from_work: &Placement) -> DVec3 {
    part_from_work.dir(DVec3::Z)
}

/// The soft jaws of a way that flat ones do not hold.
fn soft_of(way: &Way, over: f64) -> Option<SoftJaws> {
    match &way.soft {
        Some(Ok(j)) if !way.holds() => Some(j.as_ref().clone().under(over)),
        _ => None,
    }
}

/// A block with how its first side is gripped.
struct Blank {
    /// Part coordinates.
    stock: Box3,
    /// Stock below the part, mm.
    hat: f64,
    /// Height of jaw on the raw block, mm.
    grip: f64,
    /// No hat: the first side cuts the outline down to here (work coordinates), mm.
    half: Option<f64>,
}

/// How deep the first side may go where a block without a hat is gripped by its own lower half, and the grip, mm. `hat` is what lies below the part.
fn half_of(height: f64, hat: f64, vise: &Vise) -> Option<(f64, f64)> {
    let down_to = hat + height / 2.0 - WITNESS;
    let grip = grips(vise).into_iter().rfind(|&g| g >= LEAST_GRIP && g + ABOVE_JAW <= down_to)?;
    Some((grip, down_to))
}

/// The block, the hat below the part and the grip on it.
fn block_of(part: &Part, vise: &Vise, choice: &Choice, up: DVec3, findings: &mut Vec<Finding>) -> Blank {
    let mut half = None;
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let size = part.bounds.size();
    let height = size[axis];
    let mut grip1 = grip_of(height, vise);
    let (stock, hat) = match choice.stock {
        StockChoice::Rule => {
            let hat = grip1 + ABOVE_JAW;
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
        StockChoice::Sizes(_) | StockChoice::Over(_) => {
            let mut b = part.bounds;
            for k in 0..3 {
                let [low, high] = match choice.stock {
                    StockChoice::Over(o) => o[k].map(|v| v.at_least(0.0)),
                    StockChoice::Sizes(s) if k == axis => {
                        let extra = s[k] - size[k];
                        let top = TOP.at_most(extra / 2.0);
                        if up[axis] > 0.0 { [extra - top, top] } else { [top, extra - top] }
                    }
                    StockChoice::Sizes(s) => [(s[k] - size[k]) / 2.0; 2],
                    StockChoice::Rule => [0.0; 2],
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

/// A round part in a round nest.
fn turns_freely(j: &SoftJaws, name: &str) -> Option<Finding> {
    j.turns_freely.then(|| {
        Finding::new(
            Kind::TurnsFreely,
            Severity::Warn,
            format!("The nest of {name} is round: nothing in it says how far the part is turned, and what is cut there hangs on it"),
            "Scribe a line across part and hat before it comes out of the first side, at the right end along X, and set it to that line; or put a pin of the first side's hole against a stop.",
        )
        .in_setup(name)
        .keyed(name)
    })
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
        "A fixture plate, a chuck or tabs might hold it; Gold Chip does not plan those yet. No program is made for it.",
    );
    let f = f.in_setup(name).keyed(name);
    match order {
        Order::Best => f,
        Order::Up { .. } => f.mended_by("Take the proposed sides", Act::Order { choice: None }),
    }
}

/// Does the vise open so far, and the machine travel so far?
fn room(openings: &[(&str, f64)], block: DVec3, machine: &Machine, vise: &Vise, findings: &mut Vec<Finding>) {
    for (name, opening) in openings.iter().copied() {
        if opening > vise.opening_mm {
            findings.push(
                Finding::new(
                    Kind::Opening,
                    Severity::Stop,
                    format!(
                        "{opening:.0} mm between the jaws, the {} opens {:.0} mm",
                        vise.name,
                        len(vise.opening_mm),
                        opening = len(opening)
                    ),
                    "Turn the part in the vise or use a larger one.",
                )
                .in_setup(name)
                .keyed(name),
            );
        }
    }
    for k in 0..3 {
        let travel = machine.travel_max_mm[k] - machine.travel_min_mm[k];
        if block[k] > travel {
            findings.push(
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
}

/// A grip as it was chosen.
struct Held {
    on: &'static str,
    grip: f64,
    length: f64,
    above: f64,
    bearing: Option<Bearing>,
}

fn setup_hold(
    name: &str,
    duty: Duty,
    part_from_work: Placement,
    body: DVec3,
    held: &Held,
    machine: &Machine,
    vise: &Vise,
    material: &Material,
) -> Setup {
    let (grip, on) = (held.grip, held.on);
    let length = held.length.at_most(vise.jaw_width_mm);
    let parallels = vise.jaw_height_mm - grip;
    let mid = |k: usize| f64::midpoint(machine.travel_min_mm[k], machine.travel_max_mm[k]);
    let zero_in_machine = DVec3::new(
        mid(0) - body.x / 2.0,
        mid(1) + body.y / 2.0,
        -machine.nose_to_table_mm + vise.bed_height_mm + parallels,
    );
    let clamp = clamping(grip, length, vise, material);
    let mut terms = vec![
        Term::new("g", "jaw height that holds", grip, "mm"),
        Term::new("L", "length that bears", length, "mm"),
        Term::new("h", "height above the jaws", held.above, "mm"),
        Term::new(
            "h/g",
            "at most 4 (common practice, no source)",
            if grip > 0.0 { held.above / grip } else { f64::MAX },
            "",
        ),
    ];
    terms.extend(clamp_terms(&clamp, vise, material));
    let grip = Grip {
        on: on.into(),
        vise: vise.name.clone(),
        height: grip,
        opening: body.y,
        opens: vise.opening_mm,
        length,
        jaw_width: vise.jaw_width_mm,
        parallels,
        above: held.above,
        clamp_kn: clamp.force_kn,
        clamp_full_kn: vise.clamp_kn,
        bearing: held.bearing,
        terms,
        bodies: bodies(vise, body, grip, parallels, held.bearing.as_ref()),
    };
    let end = if on == "raw stock" { "sawn left end of the block" } else { "finished left end of the part" };
    let touched = [
        format!("vise stop at the {end}: touched by the edge finder before loading, swung away after clamping"),
        "face of the fixed jaw: touched by the edge finder before loading".into(),
        "top of the parallels: touched before loading; so the thickness comes right".into(),
    ];
    let mut axis = 0..3;
    let datum = touched.map(|touches| {
        let k = axis.next().unwrap_or(2);
        Datum::new(["X", "Y", "Z"][k], touches, grip.datum_error(k))
    });
    Setup {
        name: name.into(),
        station: machine.id.clone(),
        duty,
        part_from_work,
        zero_in_machine,
        hold: Hold::Vise(grip),
        datum,
    }
}
