//! What a job is cut from: a piece of the rack with the part laid into it, a block by the rule, or typed sizes; and rehearsals.

use crate::chain::DEFAULT_MATERIAL;
use crate::decision::Settled;
use holding::{Sides, StockChoice};
use part::{Body, BodyKind, Part};
use reason::{Finding, Kind, Severity, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Material;
use shop::tool::ToolKind;
use stock::{Candidate, Fit, Form, Lay, Laying, Made, Piece, Wanted};
use ts_rs::TS;

/// A piece as it lay in the rack when it was chosen, with the part laid into it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Laid {
    /// The piece; what becomes of the rack later changes no plan.
    pub piece: Piece,
    /// The part in it.
    pub lay: Lay,
}

/// What a person decided to cut from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub enum StockDecision {
    /// A block by the rule of hat and deck.
    Rule,
    /// Typed sizes along the part's x, y, z, mm.
    Sizes([f64; 3]),
    /// A piece.
    Piece(Box<Laid>),
}

/// A rehearsal: the whole job in a cheap substitute, with feeds of its own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Rehearsal {
    /// Material id.
    pub material: String,
}

/// Something that a rehearsal proved.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Proved {
    /// "Bearing drops in", "cutter clears the clamp".
    pub text: String,
    /// It was as it should be.
    pub good: bool,
    /// Material of the rehearsal.
    pub material: String,
    /// Day, as the person's screen had it.
    pub when: String,
}

/// The material that a job is planned for: a rehearsal's own, the chosen one, or the proposed one.
pub fn material_of<'a>(shop: &'a Shop, settled: &Settled) -> Result<&'a Material, shop::ShopError> {
    let id = settled.rehearsal.as_ref().map(|r| r.material.as_str()).or(settled.material.as_deref());
    shop.material(id.unwrap_or(DEFAULT_MATERIAL))
}

/// The material of the real part, rehearsed or not.
pub fn real_material<'a>(shop: &'a Shop, settled: &Settled) -> Result<&'a Material, shop::ShopError> {
    shop.material(settled.material.as_deref().unwrap_or(DEFAULT_MATERIAL))
}

/// How the part will be made, as far as its stock is concerned.
pub fn made(part: &Part, body: &Body, sides: &Sides, shop: &Shop) -> Made {
    if let (BodyKind::Turned | BodyKind::Hexagon, Some(axis)) = (body.kind, &body.axis) {
        let straight = axis.direction.abs().max_element() > 1.0 - 1e-6;
        let across = (body.kind == BodyKind::Hexagon).then_some(body.across).flatten();
        let size = part.bounds.size();
        let k = (0..3).max_by(|&a, &b| axis.direction[a].abs().total_cmp(&axis.direction[b].abs())).unwrap_or(2);
        let widest = size[(k + 1) % 3].max(size[(k + 2) % 3]);
        let diameter = body.profile.iter().flat_map(|s| s.diameter).fold(0.0, f64::max);
        if straight {
            let diameter = if diameter > 0.0 && across.is_none() { diameter } else { widest };
            let mut along = [0.0; 3];
            along[k] = 1.0;
            return Made::Turn {
                axis: along.into(),
                diameter,
                across,
                held: holding::bar_grip(part, shop, k).unwrap_or(0.0),
            };
        }
    }
    Made::Mill { up: sides.up(), back: sides.back(), hat: sides.hat(part, &shop.vise) }
}

/// What a minute at the machine costs, in the shop's money, where nothing else is known (no source; it only weighs price against time).
const RATE: f64 = 1.0;

/// Chips a minute at half the usable power, of 0.05 mm (Kienzle).
pub(crate) fn chips_mm3_min(shop: &Shop, material: &Material) -> f64 {
    let kc = cutting::formula::specific_force(material.kc11_mpa, material.mc, 0.05);
    0.5 * shop.machine.most_usable_kw() * 60.0e6 / kc
}

/// What a piece is looked at for.
pub fn wanted<'a>(part: &'a Part, shop: &'a Shop, material: &'a Material, made: Made) -> Wanted<'a> {
    Wanted {
        bounds: part.bounds,
        volume: part.volume,
        mesh: &part.mesh,
        outlines: Wanted::outlines_of(&part.mesh),
        made,
        material,
        machine: &shop.machine,
        vise: &shop.vise,
        face_mill: shop
            .crib
            .iter()
            .filter(|t| matches!(t.kind, ToolKind::Face | ToolKind::Flat))
            .map(|t| t.diameter_mm)
            .fold(1.0, f64::max),
        chips_mm3_min: chips_mm3_min(shop, material),
        rate_per_min: RATE,
    }
}

/// The piece of the rack that is proposed for a job, if one fits.
pub fn offer(part: &Part, shop: &Shop, settled: &Settled, pieces: &[Piece]) -> Option<Laid> {
    let material = real_material(shop, settled).ok()?;
    if !pieces.iter().any(|p| p.material == material.id && p.quantity > 0) {
        return None;
    }
    let sides = holding::sides(part, shop, material, &settled.wish());
    let body = part::recognise(part).body;
    let w = wanted(part, shop, material, made(part, &body, &sides, shop));
    let list = stock::candidates(&w, pieces);
    stock::proposed(&list).map(|c| Laid { piece: c.piece.clone(), lay: c.laying.lay })
}

/// Everything that the Stock ticket shows of the rack.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct StockBench {
    /// "milled, +Z up first" or "turned about Z, largest Ø32".
    pub made: String,
    /// The material they are of.
    pub material: String,
    /// Pieces of the material, the best first.
    pub candidates: Vec<Candidate>,
    /// Pieces of other materials in the rack.
    pub others: usize,
    /// The piece that stands, chosen or proposed, with the part in it.
    pub stands: Option<Candidate>,
    /// It was chosen, not proposed.
    pub chosen: bool,
    /// A piece with its tag is still in the rack, as it was.
    pub there: bool,
    /// One was taken from the rack for this job.
    pub taken: bool,
    /// The 24 ways, in words.
    pub ways: Vec<String>,
}

/// Look through the rack for a job. `taken` are the tags of the pieces that were taken for it.
pub fn bench(
    part: &Part,
    shop: &Shop,
    settled: &Settled,
    pieces: &[Piece],
    taken: &[String],
) -> Result<StockBench, shop::ShopError> {
    let material = real_material(shop, settled)?;
    let sides = holding::sides(part, shop, material, &settled.wish());
    let body = part::recognise(part).body;
    let made = made(part, &body, &sides, shop);
    let w = wanted(part, shop, material, made);
    let stands = settled.laid().map(|l| {
        let laying = stock::lay(&w, &l.piece, &l.lay);
        Candidate { piece: l.piece.clone(), why: stock::why(&laying), laying }
    });
    Ok(StockBench {
        made: match made {
            Made::Mill { up, .. } => format!("milled, {} up first", part::direction_name(up)),
            Made::Turn { axis, diameter, across, held } => format!(
                "{} {}, {}",
                if held > 0.0 { "from a bar along" } else { "turned about" },
                part::direction_name(axis).trim_start_matches('+'),
                across.map_or(format!("largest Ø{}", len(shop::tool::trim(diameter))), |a| format!(
                    "{} across flats",
                    len(shop::tool::trim(a))
                ))
            ),
        },
        material: material.id.clone(),
        candidates: stock::candidates(&w, pieces),
        others: pieces.iter().filter(|p| p.material != material.id && p.quantity > 0).count(),
        chosen: matches!(settled.stock, Some(StockDecision::Piece(_))),
        there: stands.as_ref().is_some_and(|s| {
            pieces.iter().any(|p| p.name == s.piece.name && p.shape == s.piece.shape && p.quantity > 0)
        }),
        taken: stands.as_ref().is_some_and(|s| taken.contains(&s.piece.name)),
        stands,
        ways: stock::ways().iter().map(stock::way_words).collect(),
    })
}

/// Try a lay without deciding it.
pub fn try_lay(
    part: &Part,
    shop: &Shop,
    settled: &Settled,
    piece: &Piece,
    lay: &Lay,
) -> Result<Laying, shop::ShopError> {
    let material = real_material(shop, settled)?;
    let sides = holding::sides(part, shop, material, &settled.wish());
    let body = part::recognise(part).body;
    Ok(stock::lay(&wanted(part, shop, material, made(part, &body, &sides, shop)), piece, lay))
}

/// A piece with the part in it, as a plan has it.
#[derive(Debug, Clone)]
pub struct Prepared {
    /// Piece and lay.
    pub laid: Laid,
    /// What follows.
    pub laying: Laying,
}

/// A round or hexagon piece as the bar in a collet block; or why it is none. Nothing of other pieces.
fn bar_of(part: &Part, shop: &Shop, piece: &Piece, made: &Made) -> Option<Result<geom::Bar, String>> {
    let Made::Turn { axis, .. } = made else { return None };
    let (size, hexagon, length) = match &piece.shape {
        Form::Round { length, diameter } => (*diameter, false, length.least),
        Form::Hex { length, across } => (*across, true, length.least),
        _ => return None,
    };
    let axis = (0..3).find(|&k| axis[k].abs() > 0.5)?;
    Some(holding::bar_of(part, shop, axis, size, hexagon, length))
}

/// The block that the mill's plan takes, and what to know about it.
pub(crate) fn block(
    part: &Part,
    body: &Body,
    shop: &Shop,
    settled: &Settled,
    sides: &Sides,
) -> Result<(StockChoice, Option<Prepared>, Vec<Finding>), shop::ShopError> {
    let by_hand = match &settled.stock {
        Some(StockDecision::Rule) => Some(StockChoice::Rule),
        Some(StockDecision::Sizes(s)) => Some(StockChoice::Sizes(*s)),
        _ => None,
    };
    if let Some(choice) = by_hand {
        return Ok((choice, None, Vec::new()));
    }
    let Some(laid) = settled.laid() else { return Ok((StockChoice::Rule, None, Vec::new())) };
    let real = real_material(shop, settled)?;
    let made = made(part, body, sides, shop);
    let w = wanted(part, shop, real, made);
    let laying = stock::lay(&w, &laid.piece, &laid.lay);
    let mut findings: Vec<Finding> =
        laying.findings.iter().filter(|f| f.kind != "stock_no_hat" && f.kind != "stock_large").cloned().collect();
    if laid.piece.material != real.id {
        findings.push(Finding::new(
            Kind::StockMaterial,
            Severity::Stop,
            format!("{} is {}, the job is planned for {}", laid.piece.name, laid.piece.material, real.name),
            "Choose the material that the piece is of, or another piece.",
        ));
    }
    let bar = bar_of(part, shop, &laid.piece, &made);
    let choice = if laying.plannable && laying.fit != Fit::TooSmall {
        StockChoice::Over(laying.over_squared())
    } else if let (Some(Ok(bar)), true) = (&bar, laying.fit != Fit::TooSmall) {
        StockChoice::Bar { bar: *bar }
    } else {
        findings.push(Finding::new(
            Kind::StockNotPlanned,
            Severity::Stop,
            match &bar {
                Some(Err(why)) => format!("The programs are not made for {}: {why}", laid.piece.shape.words()),
                _ => format!("The programs are not made for {}", laid.piece.shape.words()),
            },
            if laying.fit == Fit::TooSmall {
                "The part is not in it; the programs take a block by the rule. Choose another piece, or lay the part otherwise."
            } else {
                "Turning, and bars that no collet block takes, are not planned by Gold Chip yet; the programs take a block by the rule."
            },
        ));
        StockChoice::Rule
    };
    Ok((choice, Some(Prepared { laid: laid.clone(), laying }), findings))
}
