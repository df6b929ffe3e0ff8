//! How a part lies in a piece, and what follows from it.

use crate::piece::{Form, Piece, Range, Skin};
use crate::rules::{Allowance, Role, SERVES, SIDE, allowance};
use crate::square::{Squaring, squaring};
use crate::view::{Drawing, drawing};
use geom::{Box3, DMat3, DVec2, DVec3, Placement, RayGrid, Region, TriMesh};
use reason::{Finding, Place, Severity, Term};
use serde::{Deserialize, Serialize};
use shop::machine::{Machine, Material, Vise};
use shop::tool::trim;
use ts_rs::TS;

/// Width of the saw's cut, mm (a bench band saw with its set; common practice, no source).
pub(crate) const KERF: f64 = 2.5;
/// An end shorter than this is left on: sawing it off saves nothing (common practice, no source).
const NOT_WORTH: f64 = 10.0;
/// What is narrower goes to the scrap bin, mm (common practice, no source).
const REMNANT: f64 = 20.0;
/// A joint may not run nearer to a face of the part than this, mm: what is thinner breaks off (common practice, no source).
const SLIVER: f64 = 1.0;
/// Marking out, clamping and cutting off cost this besides the cut itself, min (common practice, no source).
const SAW_SET: f64 = 2.0;
/// A turned part from stock that is not round: set in a four-jaw chuck, and an interrupted cut until it is, min (common practice, no source).
const FOUR_JAW: f64 = 10.0;
/// Cleaning one more face, min (common practice, no source).
const CLEAN: f64 = 1.0;

/// How the part will be made, as far as it matters for stock.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Made {
    /// On the mill: up on its first side, the direction of the fixed jaw, and what the grip needs below the part, mm.
    Mill { up: DVec3, back: DVec3, hat: f64 },
    /// On the lathe: its axis (along an axis of the part), its largest diameter, and across flats if it comes from hexagon bar, mm.
    Turn { axis: DVec3, diameter: f64, across: Option<f64> },
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

/// A cut of the saw.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SawCut {
    /// "square across at 62.5".
    pub what: String,
    /// Area of the cut, mm².
    pub area: f64,
    /// min.
    pub minutes: f64,
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
    pub source: String,
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
        [0, 1, 2]
            .map(|k| [0, 1].map(|e| self.over[k][e] - self.wants[k][e].squared.min((self.over[k][e] - 0.3).max(0.0))))
    }
}

fn axis(k: usize) -> DVec3 {
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

fn name(d: DVec3) -> &'static str {
    geom::DIRECTIONS.iter().find(|(v, _)| v.dot(d) > 0.9).map_or("?", |p| p.1)
}

/// One axis of the piece.
struct Along {
    /// Axis of the part, and does its positive direction run along the piece's?
    part: usize,
    same: bool,
    size: f64,
    have: Range,
    roles: [Role; 2],
    want: [Allowance; 2],
    sawn: bool,
    serves: bool,
    /// Low end of the blank, its length (shortest), low end of the part.
    at: f64,
    blank: f64,
    from: f64,
}

impl Along {
    fn need(&self) -> f64 {
        self.size + self.want[0].least + self.want[1].least
    }
    fn gaps(&self) -> [f64; 2] {
        [self.from - self.at, self.at + self.blank - self.from - self.size]
    }
    fn longest(&self) -> f64 {
        if self.sawn { self.blank } else { self.have.most }
    }
}

fn roles(w: &Wanted, turn: &DMat3, j: usize, size: f64) -> [Role; 2] {
    let along = |d: DVec3| (*turn * d)[j];
    match w.made {
        Made::Mill { up, back, .. } => {
            if along(up) > 0.5 {
                [Role::Bottom, Role::Top]
            } else if along(up) < -0.5 {
                [Role::Top, Role::Bottom]
            } else if along(back).abs() > 0.5 {
                [Role::Gripped; 2]
            } else {
                [Role::End; 2]
            }
        }
        Made::Turn { axis, diameter, .. } => {
            if along(axis).abs() < 0.5 {
                return [Role::Around; 2];
            }
            // A disc is held by its outside and turned round; whatever is longer is parted off.
            if size < diameter / 2.0 {
                [Role::Faced; 2]
            } else if along(axis) > 0.0 {
                [Role::Held, Role::Faced]
            } else {
                [Role::Faced, Role::Held]
            }
        }
    }
}

/// Lay a part in a piece.
pub fn lay(w: &Wanted, piece: &Piece, lay: &Lay) -> Laying {
    let turn = ways()[lay.way.min(23)];
    let env = piece.shape.envelope();
    let hat = if let Made::Mill { hat, .. } = w.made { hat } else { 0.0 };
    let cast = if let Form::Casting { allowance: a, .. } = piece.shape { Some((a.least, a.most)) } else { None };
    let askew = lay.angle_deg.rem_euclid(360.0);
    let askew = if askew < 1e-9 { 0.0 } else { askew };
    // Only what is sawn out of a flat piece can lie askew in it.
    let stiff = askew != 0.0
        && (piece.shape.is_round_bar() || matches!(piece.shape, Form::Casting { .. } | Form::Result { .. }));
    let askew = if stiff { 0.0 } else { askew };
    let odd = askew != 0.0 || matches!(&piece.shape, Form::Plate { outline, .. } if !outline.is_empty());
    let mut axes: Vec<Along> = (0..3)
        .map(|j| {
            let part = (0..3).find(|&k| (turn * axis(k))[j].abs() > 0.5).unwrap_or(j);
            let size = w.bounds.size()[part];
            let roles = roles(w, &turn, j, size);
            let skin = piece.skin_across(j);
            let may_saw = match piece.shape {
                Form::Casting { .. } | Form::Result { .. } => false,
                Form::Plate { .. } | Form::Block { .. } | Form::Slabs { .. } => j < 2,
                _ => j == 0,
            } || (odd && j < 2);
            let mut want = roles.map(|r| allowance(skin, r, hat, cast));
            let have = env[j];
            let round = piece.shape.is_round_bar() && j > 0;
            let serves = !odd && !round && skin.finished() && have.is_one() && (have.least - size).abs() <= SERVES;
            if serves {
                want = want.map(|a| Allowance {
                    least: 0.0,
                    squared: 0.0,
                    why: format!("the {} face of the bar stays as it is", skin.word()),
                    ..a
                });
            }
            let mut a = Along {
                part,
                same: (turn * axis(part))[j] > 0.0,
                size,
                have,
                roles,
                want,
                sawn: false,
                serves,
                at: 0.0,
                blank: have.least,
                from: 0.0,
            };
            if may_saw && (odd || (have.least >= a.need() && have.most - a.need() >= KERF + NOT_WORTH)) {
                a.sawn = true;
                let cut = |r: Role| allowance(Skin::Sawn, r, hat, cast);
                a.want[1] = cut(a.roles[1]);
                if odd || lay.shift[j] > 1e-9 {
                    a.want[0] = cut(a.roles[0]);
                }
                a.blank = (a.need() * 2.0).ceil() / 2.0;
                if !odd {
                    a.blank = a.blank.min(have.least);
                }
            }
            if a.sawn {
                a.at = lay.shift[j];
                a.from = a.at + a.want[0].least;
            } else {
                let extra = have.least - size;
                a.from = match a.roles {
                    [Role::Bottom, Role::Top] | [Role::Held, Role::Faced] => extra - a.want[1].least.min(extra / 2.0),
                    [Role::Top, Role::Bottom] | [Role::Faced, Role::Held] => a.want[0].least.min(extra / 2.0),
                    _ => extra / 2.0,
                };
                if cast.is_some() {
                    a.from = extra / 2.0;
                }
                a.from += lay.shift[j];
            }
            a
        })
        .collect();

    let mut findings = Vec::new();
    let plan = piece.shape.plan();
    let spin = DMat3::from_rotation_z(askew.to_radians());
    // Where the blank's own axes stand in the piece.
    let mut blank_at = Placement::IDENTITY;
    let mut inside = true;
    if odd {
        let (bx, by) = (axes[0].blank, axes[1].blank);
        let place = place_in(&plan, bx, by, askew.to_radians());
        inside = place.is_some();
        let low = place.unwrap_or(DVec2::ZERO) + DVec2::new(lay.shift[0], lay.shift[1]);
        blank_at = Placement { turn: spin, shift: DVec3::new(low.x, low.y, 0.0) };
        for a in &mut axes[..2] {
            a.at = 0.0;
            a.from = a.want[0].least;
        }
        if inside && lay.shift[..2].iter().any(|s| s.abs() > 1e-9) {
            inside = rectangle(bx, by, &blank_at).minus(&plan).area() < 1e-3;
        }
    }
    let low_in_piece = DVec3::from_array([0, 1, 2].map(|j| axes[j].from));
    let turned = Placement { turn, shift: DVec3::ZERO }.bounds(&w.bounds);
    let to_blank = Placement { turn, shift: low_in_piece - turned.min };
    let piece_from_part = blank_at.after(&to_blank);

    let mut fit = Fit::Fits;
    let worse = |fit: &mut Fit, f: Fit| *fit = (*fit).max(f);
    for a in &axes {
        for (e, gap) in a.gaps().into_iter().enumerate() {
            let round = piece.shape.is_round_bar() && a.roles[e] == Role::Around;
            if round || (piece.shape.is_round_bar() && !std::ptr::eq(a, &axes[0])) {
                continue; // judged by the section below
            }
            let face = name(axis(a.part) * if (e == 1) == a.same { 1.0 } else { -1.0 });
            let least = a.want[e].least;
            if a.serves && gap.abs() <= SERVES {
                continue;
            }
            if gap < -1e-6 {
                worse(&mut fit, Fit::TooSmall);
                findings.push(
                    Finding::new(
                        "stock_small",
                        Severity::Stop,
                        format!("The part sticks out of the piece by {} mm at {face}", trim(-gap)),
                        "Take another piece, turn the part or shift it.",
                    )
                    .keyed(face),
                );
            } else if gap < least - 1e-6 {
                if matches!(a.roles[e], Role::Bottom | Role::Held) {
                    worse(&mut fit, Fit::NoHat);
                    findings.push(
                        Finding::new(
                            "stock_no_hat",
                            Severity::Stop,
                            format!("{} mm are left at {face} to hold it by, {} are needed", trim(gap), trim(least)),
                            if a.roles[e] == Role::Held {
                                "Take a longer piece, or hold it by a finished diameter."
                            } else {
                                "Stock as thick as the part leaves no hat: it is cut half from each side (not planned by Gold Chip yet)."
                            },
                        )
                        .keyed(face),
                    );
                } else {
                    worse(&mut fit, Fit::Tight);
                    findings.push(
                        Finding::new(
                            "stock_tight",
                            Severity::Warn,
                            format!("Only {} mm are over at {face}; {} are wanted", trim(gap), trim(least)),
                            format!("{} ({}).", a.want[e].why, a.want[e].source),
                        )
                        .keyed(face),
                    );
                }
            }
        }
    }
    if stiff {
        worse(&mut fit, Fit::TooSmall);
        findings.push(Finding::new(
            "stock_askew",
            Severity::Stop,
            format!("A part is not laid askew in a {}", piece.shape.name()),
            "Set the angle to 0; only what is sawn out of a flat piece can lie askew in it.",
        ));
    }
    for (j, a) in axes.iter().enumerate().filter(|(_, a)| a.sawn && !odd) {
        let past = (-a.at).max(a.at + a.blank - a.have.least);
        if past > 1e-6 {
            worse(&mut fit, Fit::TooSmall);
            findings.push(
                Finding::new(
                    "stock_small",
                    Severity::Stop,
                    format!("The blank lies {} mm beyond the end of the piece", trim(past)),
                    "Shift the part back.",
                )
                .keyed(format!("sawn{j}")),
            );
        }
    }
    if !inside {
        worse(&mut fit, Fit::TooSmall);
        findings.push(Finding::new(
            "stock_small",
            Severity::Stop,
            format!(
                "No place of the plate holds a blank of {} × {} mm at {}°",
                trim(axes[0].blank),
                trim(axes[1].blank),
                trim(askew)
            ),
            "Turn the part, change the angle or take another piece.",
        ));
    }
    let section_serves = section_fit(w, piece, &piece_from_part, &mut fit, &mut findings);

    // Faces that stay.
    let mut serves: Vec<String> = axes
        .iter()
        .enumerate()
        .filter(|(_, a)| a.serves)
        .map(|(j, a)| {
            let (lo, hi) = (name(-axis(a.part)), name(axis(a.part)));
            format!("{lo} and {hi} as {}", piece.skin_across(j).word())
        })
        .collect();
    serves.extend(section_serves);

    // The saw.
    let (cuts, remnants, scrap, dust) =
        if odd { saw_plan(w, piece, &plan, &axes, &blank_at) } else { saw_square(w, piece, &axes) };
    let area = if !piece.shape.is_round_bar() { axes[1].blank * axes[2].blank } else { piece.shape.section().area() };
    let blank_mm3 = match (&piece.shape, cast) {
        // Allowance all round: the part, its surface times the middle of the allowance.
        (Form::Casting { .. }, Some((a, b))) => w.volume + surface(w.mesh) * f64::midpoint(a, b),
        _ => area * axes[0].blank,
    };
    let chips = (blank_mm3 - w.volume).max(0.0);
    let waste = chips + scrap + dust;

    let mut blank = [0.0; 3];
    let mut over = [[0.0; 2]; 3];
    let none = Allowance { least: 0.0, squared: 0.0, why: String::new(), source: String::new() };
    let mut wants = [0, 1, 2].map(|_| [none.clone(), none.clone()]);
    let mut out_roles = [[Role::End; 2]; 3];
    for a in &axes {
        blank[a.part] = a.longest();
        let [lo, mut hi] = a.gaps();
        hi += a.longest() - a.blank;
        over[a.part] = if a.same { [lo, hi] } else { [hi, lo] };
        out_roles[a.part] = if a.same { a.roles } else { [a.roles[1], a.roles[0]] };
        wants[a.part] = if a.same { a.want.clone() } else { [a.want[1].clone(), a.want[0].clone()] };
    }

    machine_fit(w, &blank, &mut fit, &mut findings);
    findings.extend(slivers(w, piece, &piece_from_part));
    remarks(piece, &axes, cast, &mut findings);

    let squaring = squaring(w, &blank, &wants, &out_roles);
    let to_clean =
        axes.iter().filter(|a| !a.serves && matches!(a.roles[0], Role::Gripped | Role::End | Role::Around)).count() * 2;
    let chip_min = chips / w.chips_mm3_min.max(1.0);
    let saw_min: f64 = cuts.iter().map(|c| c.minutes).sum();
    let square_min: f64 = squaring.iter().map(|s| s.minutes).sum();
    let clean_min = to_clean as f64 * CLEAN;
    let round_bar = piece.shape.is_round_bar();
    let total = piece.shape.volume().max(1e-9);
    let kept: f64 = remnants.iter().map(|r| r.shape.volume()).sum();
    let cost = piece.cost.map(|c| c * (1.0 - kept / total).clamp(0.0, 1.0));
    let price_min = cost.unwrap_or(0.0) / w.rate_per_min.max(1e-9);
    let four_jaw = if matches!(w.made, Made::Turn { across: None, .. })
        && !matches!(piece.shape, Form::Round { .. } | Form::Tube { .. })
        || (matches!(w.made, Made::Turn { across: Some(_), .. }) && !round_bar)
    {
        FOUR_JAW
    } else {
        0.0
    };
    let mut terms = vec![
        Term::new("chips", "cutting the chips", chip_min, "min"),
        Term::new("saw", "sawing", saw_min, "min"),
        Term::new("square", "squaring first", square_min, "min"),
        Term::new("faces", "cleaning the faces that do not stay", clean_min, "min"),
    ];
    if four_jaw > 0.0 {
        terms.push(Term::new("chuck", "a four-jaw chuck, and an interrupted cut until it is round", four_jaw, "min"));
    }
    if cost.is_some() {
        terms.push(Term::new("price", "what the piece costs, at the rate of a minute", price_min, "min"));
    }
    let mut d = drawing(
        w,
        piece,
        &piece_from_part,
        &blank_at,
        [0, 1, 2].map(|j| (axes[j].at, axes[j].longest())),
        askew != 0.0,
    );
    if round_bar {
        d.blank[2] = d.piece[2].clone();
    }
    Laying {
        lay: *lay,
        way_words: way_words(&turn),
        fit,
        piece_from_part: piece_from_part.to_rows().to_vec(),
        blank,
        over,
        wants,
        roles: out_roles,
        serves,
        cuts,
        remnants,
        squaring,
        blank_mm3,
        waste_mm3: waste,
        waste_share: waste / (blank_mm3 + scrap + dust).max(1e-9),
        mass: blank_mm3 * w.material.density_g_cm3 / 1e6,
        cost,
        minutes: chip_min + saw_min + square_min + clean_min + four_jaw + price_min,
        terms,
        source: format!(
            "chips at {:.0} mm³/min (half the usable power, Kienzle's force), saw {:.0} mm²/min and {SAW_SET} min a cut, {CLEAN} min a face; common practice, no source",
            w.chips_mm3_min,
            saw_rate(w.material)
        ),
        findings,
        drawing: d,
        plannable: !round_bar && matches!(w.made, Made::Mill { .. }),
    }
}

fn surface(m: &TriMesh) -> f64 {
    (0..m.triangles.len()).map(|t| m.normal(t).length() / 2.0).sum()
}

/// Area that a bench saw cuts in a minute, mm²: it falls as the cutting force grows (common practice, no source; about 31 cm² in
/// aluminium and 11 cm² in mild steel).
fn saw_rate(m: &Material) -> f64 {
    2.0e6 / m.kc11_mpa
}

fn saw_cut(what: String, area: f64, m: &Material) -> SawCut {
    SawCut { what, area, minutes: SAW_SET + area / saw_rate(m) }
}

/// Round, hexagon and tube: is the part's outline along x in the section? Returns what stays of the bar's surface.
fn section_fit(w: &Wanted, piece: &Piece, at: &Placement, fit: &mut Fit, findings: &mut Vec<Finding>) -> Vec<String> {
    let (diameter, bore, across) = match piece.shape {
        Form::Round { diameter, .. } => (Some(diameter), None, None),
        Form::Tube { diameter, bore, .. } => (Some(diameter), Some(bore), None),
        Form::Hex { across, .. } => (None, None, Some(across)),
        _ => return Vec::new(),
    };
    let env = piece.shape.envelope();
    let middle = DVec2::new(env[1].mean() / 2.0, env[2].mean() / 2.0);
    let shadow: Vec<Vec<DVec2>> = crate::view::outline(w, at, 0);
    let points = shadow.iter().flatten().map(|p| *p - middle);
    // How much is left outside the part at the narrowest place.
    let (left, size) = match (diameter, across) {
        (Some(d), _) => (d / 2.0 - points.map(|p| p.length()).fold(0.0, f64::max), d),
        (None, Some(s)) => {
            let normals: Vec<DVec2> =
                (0..6).map(|k| DVec2::from_angle((f64::from(k) + 0.5) * std::f64::consts::PI / 3.0)).collect();
            (s / 2.0 - points.map(|p| normals.iter().map(|n| n.dot(p)).fold(0.0, f64::max)).fold(0.0, f64::max), s)
        }
        _ => return Vec::new(),
    };
    let own = match w.made {
        Made::Turn { diameter: d, across: None, .. } if diameter.is_some() => Some(d),
        Made::Turn { across: Some(s), .. } if across.is_some() => Some(s),
        _ => None,
    };
    let mut serves = Vec::new();
    let want = if piece.skin.finished() && own.is_some_and(|d| (d - size).abs() <= SERVES) {
        serves.push(format!("{} as {}", if across.is_some() { "flats" } else { "outside" }, piece.skin.word()));
        -SERVES
    } else {
        SIDE
    };
    let deficit = if left < want.min(0.0) - 1e-3 {
        Some((
            Fit::TooSmall,
            "stock_small",
            Severity::Stop,
            format!("The part sticks out of the section by {:.2} mm", -left),
        ))
    } else if left < want - 1e-3 {
        Some((
            Fit::Tight,
            "stock_tight",
            Severity::Warn,
            format!("Only {left:.2} mm are over around the part; {want} are wanted"),
        ))
    } else {
        None
    };
    if let Some((f, kind, severity, what)) = deficit {
        *fit = (*fit).max(f);
        findings.push(
            Finding::new(
                kind,
                severity,
                what,
                "Take a thicker bar, turn the part or shift it (common practice, no source).",
            )
            .keyed("section"),
        );
    }
    if let Some(b) = bore {
        let hole = Region::disc(middle, (b / 2.0 + SIDE).max(0.0), 0.002);
        let part = Region::from_oriented(&shadow);
        let near = part.intersect(&hole).area();
        let gone = part.intersect(&Region::disc(middle, b / 2.0 - 0.01, 0.002)).area();
        if gone > 0.05 {
            *fit = (*fit).max(Fit::TooSmall);
            findings.push(
                Finding::new(
                    "stock_small",
                    Severity::Stop,
                    format!("The tube's bore of {b} mm takes away {gone:.1} mm² of the part's outline"),
                    "Take a tube with a smaller bore, or a round bar.",
                )
                .keyed("bore"),
            );
        } else if near > 0.05 {
            *fit = (*fit).max(Fit::Tight);
            findings.push(
                Finding::new(
                    "stock_tight",
                    Severity::Warn,
                    format!("The part's bore is less than {SIDE} mm larger than the tube's"),
                    "Too little to clean it (common practice, no source).",
                )
                .keyed("bore"),
            );
        }
    }
    serves
}

fn machine_fit(w: &Wanted, blank: &[f64; 3], fit: &mut Fit, findings: &mut Vec<Finding>) {
    let Made::Mill { up, back, .. } = w.made else { return };
    let along = back.cross(up);
    let size = DVec3::from_array(*blank);
    let of = |d: DVec3| d.abs().dot(size);
    let mut too = |what: String, why: &str, key: &str| {
        *fit = (*fit).max(Fit::TooLarge);
        findings.push(Finding::new("stock_large", Severity::Stop, what, why).keyed(key));
    };
    for (k, d) in [along, back, up].into_iter().enumerate() {
        let travel = w.machine.travel_max_mm[k] - w.machine.travel_min_mm[k];
        if of(d) > travel {
            let axis = ["X", "Y", "Z"][k];
            too(
                format!("The blank is up to {} mm along {axis}, the machine travels {}", trim(of(d)), trim(travel)),
                "Saw it shorter, turn the part, or cut it in two stations.",
                axis,
            );
        }
    }
    if of(back) > w.vise.opening_mm {
        too(
            format!("{} mm between the jaws, the {} opens {}", trim(of(back)), w.vise.name, trim(w.vise.opening_mm)),
            "Turn the part in the piece, or saw it narrower.",
            "vise",
        );
    }
}

fn remarks(piece: &Piece, axes: &[Along], cast: Option<(f64, f64)>, findings: &mut Vec<Finding>) {
    if let Some((least, most)) = cast {
        findings.push(Finding::new(
            "casting",
            Severity::Note,
            format!("Cast {least}–{most} mm over on each side"),
            "The plan takes the block around it: the first pass starts above the highest face and the cutter cuts air on the low ones; take 0.25 mm steps until the skin is off (common practice, no source).",
        ));
    }
    if let Form::Result { job, .. } = &piece.shape {
        findings.push(Finding::new(
            "result_box",
            Severity::Warn,
            format!("It is what '{job}' left; only the box around it is looked at here"),
            "Look whether the material is where this part needs it before it is clamped.",
        ));
    }
    for (j, a) in axes.iter().enumerate() {
        if !a.have.is_one() && !a.sawn {
            findings.push(
                Finding::new(
                    "batch",
                    Severity::Note,
                    format!("{} mm {}", a.have.words(), ["long", "wide", "high"][j]),
                    "Clearance is checked with the shortest piece, travel and the plan's block with the longest.",
                )
                .keyed(j),
            );
        }
    }
}

/// Places where a joint of glued slabs leaves a sliver on the part: material on one side of it thinner than 1 mm.
fn slivers(w: &Wanted, piece: &Piece, at: &Placement) -> Vec<Finding> {
    let joints = piece.shape.joints();
    if joints.is_empty() {
        return Vec::new();
    }
    let m = w.mesh.placed(at);
    let b = m.bounds();
    let size = b.size();
    let pitch = (size.x * size.y / 20_000.0).sqrt().max(0.1);
    let grid = RayGrid::covering(2, &b, pitch);
    let rays = m.crossings(&grid);
    let back = at.inverse();
    let mut out = Vec::new();
    for z in joints {
        let mut places = Vec::new();
        let mut least = f64::INFINITY;
        for (i, ray) in rays.iter().enumerate() {
            for pair in ray.windows(2).filter(|p| p[0].enters && !p[1].enters) {
                let (lo, hi) = (z - pair[0].t, pair[1].t - z);
                // A face on the joint itself leaves nothing on that side.
                let thin = lo.min(hi);
                if lo > 0.01 && hi > 0.01 && thin < SLIVER {
                    least = least.min(thin);
                    if places.len() < 40 {
                        let p = grid.point(i, z);
                        let c = Box3 { min: p, max: p }.grown(pitch / 2.0);
                        let c = back.bounds(&c);
                        places.push(Place::new(c.min, c.max));
                    }
                }
            }
        }
        if least.is_finite() {
            out.push(
                Finding::new(
                    "sliver",
                    Severity::Warn,
                    format!("The joint at {} mm leaves a sliver of {least:.2} mm on the part", trim(z)),
                    "So thin a layer breaks off the glue: shift the part along the piece's z, or turn it (1 mm; common practice, no source).",
                )
                .keyed(trim(z))
                .at(places),
            );
        }
    }
    out
}

type Sawn = (Vec<SawCut>, Vec<Piece>, f64, f64);

/// Square cuts: across the length, then across the width. Cuts, remnants, scrap and saw dust, mm³.
fn saw_square(w: &Wanted, piece: &Piece, axes: &[Along]) -> Sawn {
    let (mut cuts, mut remnants, mut scrap, mut dust) = (Vec::new(), Vec::new(), 0.0, 0.0);
    let area = piece.shape.section().area();
    if axes[0].sawn {
        let (lo, hi) = (axes[0].at, axes[0].have.mean() - axes[0].at - axes[0].blank);
        for (end, at) in [(hi, axes[0].at + axes[0].blank), (lo, axes[0].at)] {
            if end < 1e-6 {
                continue;
            }
            cuts.push(saw_cut(format!("square across at {} mm", trim(at)), area, w.material));
            dust += area * KERF.min(end);
            let rest = end - KERF;
            if rest >= REMNANT {
                let spread = axes[0].have.most - axes[0].have.least;
                let by = axes[0].have.mean() - rest;
                let shape =
                    if spread > 1e-9 { piece.shape.shorter(by) } else { piece.shape.of_length(Range::just(rest)) };
                remnants.push(remnant(piece, shape));
            } else {
                scrap += area * rest.max(0.0);
            }
        }
    }
    if axes[1].sawn {
        let length = axes[0].blank;
        let height = axes[2].blank;
        let (lo, hi) = (axes[1].at, axes[1].have.mean() - axes[1].at - axes[1].blank);
        for (end, at) in [(hi, axes[1].at + axes[1].blank), (lo, axes[1].at)] {
            if end < 1e-6 {
                continue;
            }
            cuts.push(saw_cut(format!("lengthwise at {} mm of the width", trim(at)), length * height, w.material));
            dust += length * height * KERF.min(end);
            let rest = end - KERF;
            if rest >= REMNANT {
                remnants.push(remnant(piece, narrower(&piece.shape, length, rest)));
            } else {
                scrap += length * height * rest.max(0.0);
            }
        }
    }
    (cuts, remnants, scrap, dust)
}

fn narrower(f: &Form, l: f64, wide: f64) -> Form {
    match f {
        Form::Block { height, .. } => Form::Block { length: Range::just(l), width: wide, height: *height },
        Form::Slabs { slab, count, .. } => Form::Slabs { length: l, width: wide, slab: *slab, count: *count },
        f => Form::Plate { length: l, width: wide, height: f.envelope()[2].mean(), outline: Vec::new() },
    }
}

fn remnant(of: &Piece, shape: Form) -> Piece {
    let share = shape.volume() / of.shape.volume().max(1e-9);
    Piece {
        name: format!("{} rest", of.name),
        shape,
        quantity: 1,
        cost: of.cost.map(|c| (c * share * 100.0).round() / 100.0),
        remnant_of: Some(of.name.clone()),
        note: String::new(),
        ..of.clone()
    }
}

fn rectangle(bx: f64, by: f64, at: &Placement) -> Region {
    let c = [(0.0, 0.0), (bx, 0.0), (bx, by), (0.0, by)].map(|(x, y)| at.point(DVec3::new(x, y, 0.0)).truncate());
    Region::from_loops([c.as_slice()])
}

/// The first place, nearest the low corner, where a rectangle turned by `angle` lies in a region: its low corner, if there is one.
fn place_in(plan: &Region, bx: f64, by: f64, angle: f64) -> Option<DVec2> {
    let (lo, hi) = plan.bounds()?;
    let turn = Placement { turn: DMat3::from_rotation_z(angle), shift: DVec3::ZERO };
    let (rlo, rhi) = rectangle(bx, by, &turn).bounds()?;
    let room = (hi - lo) - (rhi - rlo);
    if room.min_element() < -1e-6 {
        return None;
    }
    const STEPS: usize = 24;
    let mut places: Vec<DVec2> = (0..=STEPS)
        .flat_map(|i| (0..=STEPS).map(move |j| (i, j)))
        .map(|(i, j)| lo - rlo + DVec2::new(room.x * i as f64, room.y * j as f64).max(DVec2::ZERO) / STEPS as f64)
        .collect();
    places.sort_by(|a, b| (a.x + a.y).total_cmp(&(b.x + b.y)));
    places
        .into_iter()
        .find(|p| rectangle(bx, by, &Placement { shift: p.extend(0.0), ..turn }).minus(plan).area() < 1e-3)
}

/// Cuts along the four sides of a blank that lies anyhow in a plate: each cut runs through all that is still there.
fn saw_plan(w: &Wanted, piece: &Piece, plan: &Region, axes: &[Along], at: &Placement) -> Sawn {
    let (bx, by) = (axes[0].blank, axes[1].blank);
    let height = axes[2].have.mean();
    let far = 4.0 * plan.bounds().map_or(1.0, |(a, b)| (b - a).length()) + bx + by;
    let (mut cuts, mut remnants, mut scrap, mut dust) = (Vec::new(), Vec::new(), 0.0, 0.0);
    let mut rest = plan.clone();
    let q = |x: f64, y: f64| at.point(DVec3::new(x, y, 0.0)).truncate();
    let strip = |from: f64, side: usize| {
        // All that lies beyond a side of the blank by `from`.
        let c = match side {
            0 => [q(bx + from, -far), q(bx + from + far, -far), q(bx + from + far, far), q(bx + from, far)],
            1 => [q(-far - from, -far), q(-from, -far), q(-from, far), q(-far - from, far)],
            2 => [q(-far, by + from), q(far, by + from), q(far, by + from + far), q(-far, by + from + far)],
            _ => [q(-far, -far - from), q(far, -far - from), q(far, -from), q(-far, -from)],
        };
        Region::from_loops([c.as_slice()])
    };
    for (side, what) in
        ["along its right end", "along its left end", "along its back", "along its front"].iter().enumerate()
    {
        let beyond = rest.intersect(&strip(0.0, side));
        if beyond.area() < 0.5 {
            continue;
        }
        let line = match side {
            0 => vec![q(bx, -far), q(bx, far)],
            1 => vec![q(0.0, -far), q(0.0, far)],
            2 => vec![q(-far, by), q(far, by)],
            _ => vec![q(-far, 0.0), q(far, 0.0)],
        };
        let long: f64 =
            rest.clip_lines(&[line], true).iter().map(|l| l.windows(2).map(|p| p[0].distance(p[1])).sum::<f64>()).sum();
        let marked = if at.turn == DMat3::IDENTITY { String::new() } else { ", marked out askew".into() };
        cuts.push(saw_cut(format!("{what}{marked}, {} mm long", trim(long)), long * height, w.material));
        let off = rest.intersect(&strip(KERF, side));
        dust += (beyond.area() - off.area()) * height;
        for c in off.components() {
            let Some((lo, hi)) = c.bounds() else { continue };
            if (hi - lo).min_element() < REMNANT || c.area() < REMNANT * REMNANT {
                scrap += c.area() * height;
                continue;
            }
            let size = hi - lo;
            let outline = if (size.x * size.y - c.area()).abs() < 0.5 {
                Vec::new()
            } else {
                let mut loops = c.simplified(0.05).loops();
                loops.sort_by_key(|l| std::cmp::Reverse(l.len()));
                loops.first().map(|l| l.iter().map(|p| (*p - lo).to_array()).collect()).unwrap_or_default()
            };
            remnants.push(remnant(piece, Form::Plate { length: size.x, width: size.y, height, outline }));
        }
        rest = rest.minus(&strip(0.0, side));
    }
    (cuts, remnants, scrap, dust)
}
