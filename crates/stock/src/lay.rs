//! How a part lies in a piece, and what follows from it.

use crate::along::{Along, axes};
use crate::check::{self, Verdict};
use crate::piece::{Form, Piece};
use crate::rules::{Allowance, Role};
use crate::saw::{self, SAW_SET, SawCut, Sawn, saw_rate};
use crate::square::{Squaring, squaring};
use crate::view::{Drawing, drawing};
use geom::{Box3, DMat3, DVec2, DVec3, Placement, Region, TriMesh};
use reason::{Finding, Kind, Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::machine::{Machine, Material, Vise};
use shop::tool::trim;
use ts_rs::TS;

/// A turned part from stock that is not round: set in a four-jaw chuck, and an interrupted cut until it is, min (common practice, no source).
const FOUR_JAW: f64 = 10.0;
/// Cleaning one more face, min (common practice, no source).
const CLEAN: f64 = 1.0;

/// How the part will be made, as far as it matters for stock.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Made {
    /// On the mill: up on its first side, the direction of the fixed jaw, and what the grip needs below the part, mm.
    Mill { up: DVec3, back: DVec3, hat: f64 },
    /// On the lathe, or as a bar in a collet block: its axis (along an axis of the part), its largest diameter, across flats if it comes from hexagon bar, and of a bar
    /// in a collet block what that wants below the part (else 0), mm.
    Turn { axis: DVec3, diameter: f64, across: Option<f64>, held: f64 },
}

/// What a piece is wanted for.
pub struct Wanted<'a> {
    /// The part's box.
    pub bounds: Box3,
    /// mm³.
    pub volume: f64,
    /// Its surface.
    pub mesh: &'a TriMesh,
    /// Its shadows along x, y, z, in the two axes that follow.
    pub outlines: [Region; 3],
    /// How it is made.
    pub made: Made,
    /// What it is cut from.
    pub material: &'a Material,
    /// Where.
    pub machine: &'a Machine,
    /// Its vise.
    pub vise: &'a Vise,
    /// Width of the widest face mill, mm.
    pub face_mill: f64,
    /// What the machine takes away while roughing, mm³/min.
    pub chips_mm3_min: f64,
    /// What a minute at the machine costs, in the shop's money.
    pub rate_per_min: f64,
}

impl<'a> Wanted<'a> {
    /// The part's shadows along its three axes.
    pub fn outlines_of(mesh: &TriMesh) -> [Region; 3] {
        [0, 1, 2].map(|k| {
            let turn = DMat3::from_cols(axis(2 - k), axis((3 - k) % 3), axis((4 - k) % 3));
            // Column j is where the part's axis j goes: k to z, k + 1 to x, k + 2 to y.
            let m = mesh.placed(&Placement { turn, shift: DVec3::ZERO });
            m.shadow_above(m.bounds().min.z - 1.0)
        })
    }
}

/// Where the part lies in a piece.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Lay {
    /// Which of the 24 ways it is turned, 0 to 23: see [`ways`].
    pub way: usize,
    /// Laid askew by this about the piece's z, degrees.
    pub angle_deg: f64,
    /// Away from the proposed place along the piece's x, y, z, mm.
    pub shift: [f64; 3],
}

impl Lay {
    /// What makes no sense in it.
    pub fn fault(&self) -> Option<String> {
        if self.way > 23 {
            return Some("A part can be turned in 24 ways, 0 to 23".into());
        }
        if !self.angle_deg.is_finite() || self.angle_deg.abs() > 360.0 {
            return Some("An angle lies between −360° and 360°".into());
        }
        if self.shift.iter().any(|s| !s.is_finite() || s.abs() > 12_000.0) {
            return Some("A shift is a length of at most 12000 mm".into());
        }
        None
    }
}

/// Does it fit?
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Fit {
    /// With all allowances.
    Fits,
    /// The part is in it, but a face has less over than the rule wants.
    Tight,
    /// The part is in it, but nothing is left below to hold it by.
    NoHat,
    /// It does not fit the machine or the vise.
    TooLarge,
    /// The part is not in it.
    TooSmall,
}

/// What follows from a lay.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Laying {
    /// The lay.
    pub lay: Lay,
    /// In words: "part's +Z up, +X along".
    pub way_words: String,
    /// Does it fit?
    pub fit: Fit,
    /// Row by row, part → piece coordinates.
    pub piece_from_part: Vec<f64>,
    /// Blank along the part's x, y, z, mm; of a batch the longest.
    pub blank: [f64; 3],
    /// Over the part on the low and the high end of its x, y, z, mm.
    pub over: [[f64; 2]; 3],
    /// What the rule wants there.
    pub wants: [[Allowance; 2]; 3],
    /// What becomes of each of these faces.
    pub roles: [[Role; 2]; 3],
    /// Faces of the piece that stay on the part: "−Y and +Y as drawn".
    pub serves: Vec<String>,
    /// Cuts of the saw.
    pub cuts: Vec<SawCut>,
    /// What goes back to the rack.
    pub remnants: Vec<Piece>,
    /// Squaring before the first side, in order.
    pub squaring: Vec<Squaring>,
    /// Blank, mm³.
    pub blank_mm3: f64,
    /// Chips, saw dust and scrap, mm³.
    pub waste_mm3: f64,
    /// Of what leaves the rack for good.
    pub waste_share: f64,
    /// Blank, kg.
    pub mass: f64,
    /// Of the piece, if it was given what it cost.
    pub cost: Option<f64>,
    /// What it is ranked by, min.
    pub minutes: f64,
    /// Of what these minutes consist.
    pub terms: Vec<Term>,
    /// Where terms and values come from.
    pub source: Sources,
    /// What to know.
    pub findings: Vec<Finding>,
    /// To scale, in piece coordinates.
    pub drawing: Drawing,
    /// Can the mill's plan take this blank as its block?
    pub plannable: bool,
}

impl Laying {
    /// What is over when sawn faces have been squared: what the first side starts from.
    pub fn over_squared(&self) -> [[f64; 2]; 3] {
        [0, 1, 2].map(|k| {
            [0, 1].map(|e| self.over[k][e] - self.wants[k][e].squared.at_most((self.over[k][e] - 0.3).at_least(0.0)))
        })
    }
}

pub(crate) fn axis(k: usize) -> DVec3 {
    [DVec3::X, DVec3::Y, DVec3::Z][k % 3]
}

/// The 24 rotations that take the part's axes to the piece's, by which of the part's directions goes up and which along.
pub fn ways() -> Vec<DMat3> {
    let mut out = Vec::with_capacity(24);
    for up in geom::DIRECTIONS.map(|d| d.0) {
        let sides: Vec<DVec3> = geom::DIRECTIONS.map(|d| d.0).into_iter().filter(|d| d.dot(up).abs() < 0.5).collect();
        for along in sides {
            // Rows: what of the part lies along the piece's x, y, z.
            out.push(DMat3::from_cols(along, up.cross(along), up).transpose());
        }
    }
    out
}

/// A way in words: "+Z up, +X along".
pub fn way_words(turn: &DMat3) -> String {
    format!("{} up, {} along", name(turn.transpose() * DVec3::Z), name(turn.transpose() * DVec3::X))
}

pub(crate) fn name(d: DVec3) -> &'static str {
    geom::DIRECTIONS.iter().find(|(v, _)| v.dot(d) > 0.9).map_or("?", |p| p.1)
}

/// Lay a part in a piece.
pub fn lay(w: &Wanted, piece: &Piece, lay: &Lay) -> Laying {
    let shape = &piece.shape;
    let turn = ways()[lay.way.min(23)];
    let mut v = Verdict { fit: Fit::Fits, findings: Vec::new() };
    let mut angle = lay.angle_deg.rem_euclid(360.0);
    if angle > 1e-9 && (shape.is_round_bar() || matches!(shape, Form::Casting { .. } | Form::Result { .. })) {
        v.stop(
            Fit::TooSmall,
            Kind::StockAskew,
            "",
            format!("A part is not laid askew in a {}", shape.name()),
            "Set the angle to 0; only what is sawn out of a flat piece can lie askew in it.",
        );
        angle = 0.0;
    }
    let odd = angle > 1e-9 || shape.is_odd();
    let axes = axes(w, piece, &turn, lay.shift, odd);
    let plan = shape.plan();
    let blank_at = if odd { marked_out(&plan, &axes, angle, lay.shift, &mut v) } else { Placement::IDENTITY };
    let turned = Placement { turn, shift: DVec3::ZERO }.bounds(&w.bounds);
    let low = DVec3::from_array([0, 1, 2].map(|j| axes[j].from));
    let piece_from_part = blank_at.after(&Placement { turn, shift: low - turned.min });

    check::faces(piece, &axes, &mut v);
    if !odd {
        check::ends(&axes, &mut v);
    }
    let mut serves: Vec<String> = axes
        .iter()
        .enumerate()
        .filter(|(_, a)| a.serves)
        .map(|(j, a)| format!("{} and {} as {}", name(-axis(a.part)), name(axis(a.part)), piece.skin_across(j).word()))
        .collect();
    serves.extend(check::section(w, piece, &piece_from_part, &mut v));
    let sawn = if odd { saw::marked_out(w, piece, &plan, &axes, &blank_at) } else { saw::square(w, piece, &axes) };

    // From the piece's axes to the part's.
    let of = |k: usize| axes.iter().find(|a| a.part == k).unwrap_or(&axes[0]);
    let blank = [0, 1, 2].map(|k| of(k).longest());
    let over = [0, 1, 2].map(|k| {
        let (a, [lo, hi]) = (of(k), of(k).gaps());
        a.on_part([lo, hi + a.longest() - a.blank])
    });
    let roles = [0, 1, 2].map(|k| of(k).on_part(of(k).roles));
    let wants = [0, 1, 2].map(|k| of(k).on_part(of(k).want.clone()));
    check::machine(w, &blank, &mut v);
    v.findings.extend(check::slivers(w, piece, &piece_from_part));
    check::remarks(piece, &axes, &mut v.findings);

    let squaring = squaring(w, &blank, &wants, &roles);
    let section = if shape.is_round_bar() { shape.section().area() } else { axes[1].blank * axes[2].blank };
    let blank_mm3 = match shape.cast() {
        // Allowance all round: the part, and its surface times the middle of the allowance.
        Some((a, b)) => w.volume + surface(w.mesh) * f64::midpoint(a, b),
        None => section * axes[0].blank,
    };
    let kept: f64 = sawn.remnants.iter().map(|r| r.shape.volume()).sum();
    let cost = piece.cost.map(|c| c * (1.0 - kept / shape.volume().at_least(1e-9)).clamp(0.0, 1.0));
    let chips = (blank_mm3 - w.volume).at_least(0.0);
    let gone = sawn.scrap + sawn.dust;
    let terms = minutes(w, piece, &axes, &sawn, &squaring, chips, cost);
    Laying {
        lay: *lay,
        way_words: way_words(&turn),
        fit: v.fit,
        piece_from_part: piece_from_part.to_rows().to_vec(),
        blank,
        over,
        wants,
        roles,
        serves,
        squaring,
        blank_mm3,
        waste_mm3: chips + gone,
        waste_share: (chips + gone) / (blank_mm3 + gone).at_least(1e-9),
        mass: blank_mm3 * w.material.density_g_cm3 / 1e6,
        cost,
        minutes: terms.iter().map(|t| t.value).sum(),
        terms,
        source: Source::practice(format!(
            "chips at {:.0} mm³/min (half the usable power, Kienzle's force), saw {:.0} mm²/min and {SAW_SET} min a cut, {CLEAN} min a face",
            w.chips_mm3_min,
            saw_rate(w.material)
        ))
        .into(),
        drawing: drawing(w, piece, &piece_from_part, &blank_at, [0, 1, 2].map(|j| (axes[j].at, axes[j].longest()))),
        findings: v.findings,
        cuts: sawn.cuts,
        remnants: sawn.remnants,
        plannable: !shape.is_round_bar() && matches!(w.made, Made::Mill { .. }),
    }
}

/// Where a blank is marked out on a flat piece: its low corner and the way its axes run.
fn marked_out(plan: &Region, axes: &[Along; 3], angle_deg: f64, shift: [f64; 3], v: &mut Verdict) -> Placement {
    let (bx, by) = (axes[0].blank, axes[1].blank);
    let place = saw::place_in(plan, bx, by, angle_deg.to_radians());
    let low = place.unwrap_or(DVec2::ZERO) + DVec2::new(shift[0], shift[1]);
    let at = Placement { turn: DMat3::from_rotation_z(angle_deg.to_radians()), shift: low.extend(0.0) };
    let sticks_out = || saw::rectangle(bx - 0.002, by - 0.002, &at).minus(plan).area() > 0.01;
    if place.is_none() || (shift[..2].iter().any(|s| s.abs() > 1e-9) && sticks_out()) {
        v.stop(
            Fit::TooSmall,
            Kind::StockSmall,
            "plan",
            if place.is_none() {
                format!(
                    "No place of the piece holds a blank of {} × {} mm at {}°",
                    len(trim(bx)),
                    len(trim(by)),
                    trim(angle_deg)
                )
            } else {
                format!("Shifted so, the blank of {} × {} mm sticks out of the piece", len(trim(bx)), len(trim(by)))
            },
            "Turn the part, change the angle or the shift, or take another piece.",
        );
    }
    at
}

/// What a lay costs, min.
fn minutes(
    w: &Wanted,
    piece: &Piece,
    axes: &[Along; 3],
    sawn: &Sawn,
    squaring: &[Squaring],
    chips: f64,
    cost: Option<f64>,
) -> Vec<Term> {
    let min = |symbol: &str, meaning: &str, v: f64| Term::new(symbol, meaning, v, "min");
    let to_clean =
        axes.iter().filter(|a| !a.serves && matches!(a.roles[0], Role::Gripped | Role::End | Role::Around)).count() * 2;
    let mut terms = vec![
        min("chips", "cutting the chips", chips / w.chips_mm3_min.at_least(1.0)),
        min("saw", "sawing", sawn.cuts.iter().map(|c| c.minutes).sum()),
        min("square", "squaring first", squaring.iter().map(|s| s.minutes).sum()),
        min("faces", "cleaning the faces that do not stay", to_clean as f64 * CLEAN),
    ];
    // Hexagon bar in a collet serves hexagons only; rounds serve both.
    let runs_true = match w.made {
        Made::Mill { .. } => true,
        Made::Turn { across: None, .. } => matches!(piece.shape, Form::Round { .. } | Form::Tube { .. }),
        Made::Turn { across: Some(_), .. } => piece.shape.is_round_bar(),
    };
    if !runs_true {
        terms.push(min("chuck", "a four-jaw chuck, and an interrupted cut until it is round", FOUR_JAW));
    }
    if let Some(c) = cost {
        terms.push(min("price", "what the piece costs, at the rate of a minute", c / w.rate_per_min.at_least(1e-9)));
    }
    terms
}

fn surface(m: &TriMesh) -> f64 {
    (0..m.triangles.len()).map(|t| m.normal(t).length() / 2.0).sum()
}
