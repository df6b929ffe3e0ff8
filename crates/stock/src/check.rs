//! Does it fit: the faces of the blank, the section of a bar, the machine, the joints of glued slabs.

use crate::along::Along;
use crate::lay::{Fit, Made, Wanted, axis, name};
use crate::piece::{Form, Piece};
use crate::rules::{Role, SERVES, SIDE};
use geom::{Box3, DVec2, DVec3, Placement, RayGrid, Region};
use reason::{Finding, Kind, Place, Severity, Sure, len};
use shop::tool::trim;

/// A joint may not run nearer to a face of the part than this, mm: what is thinner breaks off (common practice, no source).
const SLIVER: f64 = 1.0;

/// What was found so far.
pub(crate) struct Verdict {
    pub fit: Fit,
    pub findings: Vec<Finding>,
}

impl Verdict {
    /// One thing more; the worst fit counts.
    pub fn say(&mut self, fit: Fit, finding: Finding) {
        self.fit = self.fit.max(fit);
        self.findings.push(finding);
    }
    pub fn stop(&mut self, fit: Fit, kind: Kind, key: &str, what: String, why: &str) {
        self.say(fit, Finding::new(kind, Severity::Stop, what, why).keyed(key));
    }
    pub fn warn(&mut self, fit: Fit, kind: Kind, key: &str, what: String, why: &str) {
        self.say(fit, Finding::new(kind, Severity::Warn, what, why).keyed(key));
    }
}

/// What is over at each end of each axis. Of round bars only the ends count here; the rest is [`section`]'s.
pub(crate) fn faces(piece: &Piece, axes: &[Along; 3], v: &mut Verdict) {
    let n = if piece.shape.is_round_bar() { 1 } else { 3 };
    for a in &axes[..n] {
        for (e, gap) in a.gaps().into_iter().enumerate() {
            if a.serves && gap.abs() <= SERVES {
                continue;
            }
            let face = name(axis(a.part) * if (e == 1) == a.same { 1.0 } else { -1.0 });
            let want = &a.want[e];
            if gap < -1e-6 {
                v.stop(
                    Fit::TooSmall,
                    Kind::StockSmall,
                    face,
                    format!("The part sticks out of the piece by {} mm at {face}", len(trim(-gap))),
                    "Take another piece, turn the part or shift it.",
                );
            } else if gap >= want.least - 1e-6 {
                continue;
            } else if matches!(a.roles[e], Role::Bottom | Role::Held) {
                v.stop(
                    Fit::NoHat,
                    Kind::StockNoHat,
                    face,
                    format!(
                        "{} mm are left at {face} to hold it by, {} are needed",
                        len(trim(gap)),
                        len(trim(want.least))
                    ),
                    if a.roles[e] == Role::Held {
                        "Take a longer piece, or hold it by a finished diameter."
                    } else {
                        "Stock as thick as the part leaves no hat: it is cut half from each side."
                    },
                );
            } else {
                v.warn(
                    Fit::Tight,
                    Kind::StockTight,
                    face,
                    format!("Only {} mm are over at {face}; {} are wanted", len(trim(gap)), len(trim(want.least))),
                    &format!("{} ({}).", want.why, want.source),
                );
            }
        }
    }
}

/// Does what is sawn off square lie between the ends of the piece?
pub(crate) fn ends(axes: &[Along; 3], v: &mut Verdict) {
    for (j, a) in axes.iter().enumerate().filter(|(_, a)| a.sawn) {
        let past = (-a.at).at_least(a.at + a.blank - a.have.least);
        if past > 1e-6 {
            v.stop(
                Fit::TooSmall,
                Kind::StockSmall,
                &format!("sawn{j}"),
                format!("The blank lies {} mm beyond the end of the piece", len(trim(past))),
                "Shift the part back.",
            );
        }
    }
}

/// Round, hexagon and tube: is the part's outline along x in the section? Returns what stays of the bar's surface.
pub(crate) fn section(w: &Wanted, piece: &Piece, at: &Placement, v: &mut Verdict) -> Option<String> {
    let (size, bore, across) = match piece.shape {
        Form::Round { diameter, .. } => (diameter, None, false),
        Form::Tube { diameter, bore, .. } => (diameter, Some(bore), false),
        Form::Hex { across, .. } => (across, None, true),
        _ => return None,
    };
    let env = piece.shape.envelope();
    let middle = DVec2::new(env[1].mean() / 2.0, env[2].mean() / 2.0);
    let shadow: Vec<Vec<DVec2>> = crate::view::outline(w, at, 0);
    // How far the part reaches out: from the axis, or towards the flats.
    let flats: Vec<DVec2> =
        (0..6).map(|k| DVec2::from_angle((f64::from(k) + 0.5) * std::f64::consts::FRAC_PI_3)).collect();
    let out = |p: DVec2| if across { flats.iter().map(|n| n.dot(p)).fold(0.0, Sure::at_least) } else { p.length() };
    let left = size / 2.0 - shadow.iter().flatten().map(|p| out(*p - middle)).fold(0.0, Sure::at_least);
    let own = match w.made {
        Made::Turn { diameter, across: None, .. } if !across => Some(diameter),
        Made::Turn { across: Some(s), .. } if across => Some(s),
        _ => None,
    };
    let serves = piece.skin.finished() && own.is_some_and(|d| (d - size).abs() <= SERVES);
    let (least, want) = if serves { (-SERVES, -SERVES) } else { (0.0, SIDE) };
    let what_to_do = "Take a thicker bar, turn the part or shift it (common practice, no source).";
    if left < least - 1e-3 {
        let what = format!("The part sticks out of the section by {:.2} mm", len(-left));
        v.stop(Fit::TooSmall, Kind::StockSmall, "section", what, what_to_do);
    } else if left < want - 1e-3 {
        let what = format!(
            "Only {left:.2} mm are over around the part; {want} are wanted",
            left = len(left),
            want = len(want)
        );
        v.warn(Fit::Tight, Kind::StockTight, "section", what, what_to_do);
    }
    if let Some(b) = bore {
        let part = Region::from_oriented(&shadow);
        let within = |r: f64| part.intersect(&Region::disc(middle, r, 0.002)).area();
        let gone = within(b / 2.0 - 0.01);
        if gone > 0.05 {
            let what = format!("The tube's bore of {b} mm takes away {gone:.1} mm² of the part's outline", b = len(b));
            v.stop(Fit::TooSmall, Kind::StockSmall, "bore", what, "Take a tube with a smaller bore, or a round bar.");
        } else if within(b / 2.0 + SIDE) > 0.05 {
            let what = format!("The part's bore is less than {SIDE} mm larger than the tube's", SIDE = len(SIDE));
            v.warn(Fit::Tight, Kind::StockTight, "bore", what, "Too little to clean it (common practice, no source).");
        }
    }
    serves.then(|| format!("{} as {}", if across { "flats" } else { "outside" }, piece.skin.word()))
}

/// Travel of the machine and opening of the vise; of a batch with the longest.
pub(crate) fn machine(w: &Wanted, blank: &[f64; 3], v: &mut Verdict) {
    let Made::Mill { up, back, .. } = w.made else { return };
    let of = |d: DVec3| d.abs().dot(DVec3::from_array(*blank));
    for (k, d) in [back.cross(up), back, up].into_iter().enumerate() {
        let travel = w.machine.travel_max_mm[k] - w.machine.travel_min_mm[k];
        if of(d) > travel {
            let axis = ["X", "Y", "Z"][k];
            v.stop(
                Fit::TooLarge,
                Kind::StockLarge,
                axis,
                format!(
                    "The blank is up to {} mm along {axis}, the machine travels {}",
                    len(trim(of(d))),
                    len(trim(travel))
                ),
                "Saw it shorter, turn the part, or cut it in two stations.",
            );
        }
    }
    if of(back) > w.vise.opening_mm {
        v.stop(
            Fit::TooLarge,
            Kind::StockLarge,
            "vise",
            format!(
                "{} mm between the jaws, the {} opens {}",
                len(trim(of(back))),
                w.vise.name,
                len(trim(w.vise.opening_mm))
            ),
            "Turn the part in the piece, or saw it narrower.",
        );
    }
}

/// What to know about castings, results and batches.
pub(crate) fn remarks(piece: &Piece, axes: &[Along; 3], findings: &mut Vec<Finding>) {
    if let Some((least, most)) = piece.shape.cast() {
        findings.push(Finding::new(
            Kind::Casting,
            Severity::Note,
            format!("Cast {least}–{most} mm over on each side", least = len(least), most = len(most)),
            "The plan takes the block around it: the first pass starts above the highest place, and faces go down in steps of 0.25 mm, cutting air on the low ones, until the lowest place is cut (common practice, no source).",
        ));
    }
    if let Form::Result { job, .. } = &piece.shape {
        findings.push(Finding::new(
            Kind::ResultBox,
            Severity::Warn,
            format!("It is what '{job}' left; only the box around it is looked at here"),
            "Look whether the material is where this part needs it before it is clamped.",
        ));
    }
    for (j, a) in axes.iter().enumerate() {
        if !a.have.is_one() && !a.sawn {
            findings.push(
                Finding::new(
                    Kind::Batch,
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
pub(crate) fn slivers(w: &Wanted, piece: &Piece, at: &Placement) -> Vec<Finding> {
    let joints = piece.shape.joints();
    if joints.is_empty() {
        return Vec::new();
    }
    let m = w.mesh.placed(at);
    let b = m.bounds();
    let size = b.size();
    let pitch = (size.x * size.y / 20_000.0).sqrt().at_least(0.1);
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
                let thin = lo.at_most(hi);
                if lo > 0.01 && hi > 0.01 && thin < SLIVER {
                    least = least.at_most(thin);
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
                    Kind::Sliver,
                    Severity::Warn,
                    format!("The joint at {} mm leaves a sliver of {least:.2} mm on the part", len(trim(z)), least = len(least)),
                    "So thin a layer breaks off the glue: shift the part along the piece's z, or turn it (1 mm; common practice, no source).",
                )
                .keyed(trim(z))
                .at(places),
            );
        }
    }
    out
}
