//! A cutter as it stands in its holder: the body of revolution that cuts and collides.
//!
//! Heights are above the lowest point; stick-out runs from there to the holder, holder pieces follow upwards.

use reason::len;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Form of a cutter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum ToolKind {
    /// End mill with square corners.
    Flat,
    /// End mill with a half ball.
    Ball,
    /// End mill with rounded corners.
    Bull,
    /// Face mill.
    Face,
    /// Chamfer mill: a cone.
    Chamfer,
    /// Spot drill: a cone from a point.
    Spot,
    /// Twist drill.
    Drill,
    /// Tap.
    Tap,
    /// Reamer.
    Reamer,
    /// Thread mill.
    ThreadMill,
    /// T-slot cutter: a disc on a neck, which also cuts grooves and key seats.
    TSlot,
    /// Dovetail cutter: a cone that is widest at its end.
    Dovetail,
}

impl ToolKind {
    /// Does it cut under what it passed by, on a neck that is slimmer than its head?
    pub fn undercuts(self) -> bool {
        matches!(self, ToolKind::TSlot | ToolKind::Dovetail)
    }
    /// Does it cut sideways?
    pub fn mills(self) -> bool {
        matches!(
            self,
            ToolKind::Flat
                | ToolKind::Ball
                | ToolKind::Bull
                | ToolKind::Face
                | ToolKind::Chamfer
                | ToolKind::ThreadMill
                | ToolKind::TSlot
                | ToolKind::Dovetail
        )
    }
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            ToolKind::Flat => "flat end mill",
            ToolKind::Ball => "ball end mill",
            ToolKind::Bull => "bull-nose end mill",
            ToolKind::Face => "face mill",
            ToolKind::Chamfer => "chamfer mill",
            ToolKind::Spot => "spot drill",
            ToolKind::Drill => "drill",
            ToolKind::Tap => "tap",
            ToolKind::Reamer => "reamer",
            ToolKind::ThreadMill => "thread mill",
            ToolKind::TSlot => "T-slot cutter",
            ToolKind::Dovetail => "dovetail cutter",
        }
    }
}

/// A cylinder of a holder.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct HolderPiece {
    /// mm.
    pub diameter_mm: f64,
    /// mm.
    pub length_mm: f64,
}

/// A cutter in its holder.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Tool {
    /// Number in the changer and in the program.
    pub number: u32,
    /// Form.
    pub kind: ToolKind,
    /// Cutting diameter, mm.
    pub diameter_mm: f64,
    /// Corner radius, mm.
    #[serde(default)]
    pub corner_radius_mm: f64,
    /// Diameter of the flat at a cone's tip, mm.
    #[serde(default)]
    pub tip_diameter_mm: f64,
    /// Included angle of the point, degrees; 0 or 180 for none.
    #[serde(default)]
    pub point_angle_deg: f64,
    /// Length that cuts, from the lowest point, mm.
    pub flute_length_mm: f64,
    /// Shank, mm.
    pub shank_diameter_mm: f64,
    /// From the lowest point to the holder, mm.
    pub stickout_mm: f64,
    /// Holder, upwards.
    #[serde(default)]
    pub holder: Vec<HolderPiece>,
    /// Teeth.
    #[serde(default = "two")]
    pub flutes: u32,
    /// Made of carbide (else high-speed steel).
    #[serde(default)]
    pub carbide: bool,
    /// Can be fed straight down into full material.
    #[serde(default = "yes")]
    pub centre_cutting: bool,
    /// Steepest ramp or helix into full material, degrees; without it the form's common practice.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ramp_deg: Option<f64>,
    /// Helix angle of the flutes, degrees; without it the form's common practice.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub helix_deg: Option<f64>,
    /// Pitch of a tap and of a thread mill, mm; of a thread mill with a single row of teeth the largest.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pitch_mm: Option<f64>,
    /// A thread mill with a single row of teeth: the least pitch that it cuts, mm. Without it it has teeth all along its flutes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub least_pitch_mm: Option<f64>,
    /// How many threads at a tap's end are ground away: 7 to 10 taper, 3 to 5 plug, 1 to 2 bottoming (common practice, no source).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lead_threads: Option<f64>,
    /// A tap in a holder that gives along its axis: it follows its own thread a few per cent beside the feed.
    #[serde(default)]
    pub floating: bool,
    /// Of a dovetail cutter the angle between its flank and its end, degrees: 60 is a dovetail of 60°.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub flank_deg: Option<f64>,
}

/// Threads of a tap's end that are ground away where nothing is said: a plug tap (common practice, no source).
const PLUG_LEAD: f64 = 4.0;
/// A tap's front end is smaller than its thread's core by this share of the pitch on the diameter, so that it enters (common practice, no source).
const TAP_FRONT: f64 = 1.3;
/// Lead of a reamer at 45°, share of its diameter (common practice, no source).
const REAMER_LEAD: f64 = 0.05;

fn two() -> u32 {
    2
}

fn yes() -> bool {
    true
}

impl Tool {
    /// Steepest ramp or helix into full material, rad: what is said of the cutter, else 10° where it cuts at its centre, 2° where not
    /// (common practice, no source). Straight down is another matter: that asks for a centre that cuts.
    pub fn steepest_ramp(&self) -> f64 {
        let degrees = self.ramp_deg.unwrap_or(if self.centre_cutting { 10.0 } else { 2.0 });
        degrees.clamp(0.0, 90.0).to_radians()
    }
    /// Helix angle of the flutes, rad: what is said of the cutter, else 30° of end mills and none of the others (common practice, no source).
    pub fn helix(&self) -> f64 {
        let usual = if matches!(self.kind, ToolKind::Flat | ToolKind::Ball | ToolKind::Bull) { 30.0 } else { 0.0 };
        self.helix_deg.unwrap_or(usual).clamp(0.0, 60.0).to_radians()
    }
    /// Cutting radius, mm.
    pub fn radius(&self) -> f64 {
        self.diameter_mm / 2.0
    }
    /// Radius of the rounded corner that cuts, mm.
    pub fn corner(&self) -> f64 {
        match self.kind {
            ToolKind::Ball => self.radius(),
            ToolKind::Flat => 0.0,
            _ => self.corner_radius_mm.clamp(0.0, self.radius()),
        }
    }
    /// tan of half the point angle where the point is a cone.
    fn cone(&self) -> Option<f64> {
        match self.kind {
            ToolKind::Chamfer | ToolKind::Spot | ToolKind::Drill => (self.point_angle_deg > 1.0
                && self.point_angle_deg < 179.0)
                .then(|| (self.point_angle_deg / 2.0).to_radians().tan()),
            ToolKind::Reamer => Some(1.0),
            ToolKind::Tap => Some((self.radius() - self.tip_radius()) / self.lead_mm()).filter(|t| *t > 1e-6),
            _ => None,
        }
    }
    /// Length of a tap's lead, mm; 0 of other cutters.
    pub fn lead_mm(&self) -> f64 {
        match (self.kind, self.pitch_mm) {
            (ToolKind::Tap, Some(p)) => self.lead_threads.unwrap_or(PLUG_LEAD).max(0.5) * p,
            _ => 0.0,
        }
    }
    /// Does it cut threads of that pitch, mm?
    pub fn cuts_pitch(&self, pitch: f64) -> bool {
        const SAME: f64 = 1e-3;
        let Some(own) = self.pitch_mm else { return false };
        match (self.kind, self.least_pitch_mm) {
            (ToolKind::ThreadMill, Some(least)) => pitch > least - SAME && pitch < own + SAME,
            (ToolKind::Tap | ToolKind::ThreadMill, _) => (own - pitch).abs() < SAME,
            _ => false,
        }
    }
    /// Height over which the radius grows to its full size: point of a drill, cone of a chamfer mill, corner of a bull nose.
    pub fn point_height(&self) -> f64 {
        match self.cone() {
            Some(tan) => (self.radius() - self.tip_radius()).max(0.0) / tan,
            None => self.corner(),
        }
    }
    fn tip_radius(&self) -> f64 {
        let r = self.radius();
        match self.kind {
            ToolKind::Tap if self.tip_diameter_mm <= 0.0 => {
                (r - TAP_FRONT / 2.0 * self.pitch_mm.unwrap_or(0.0)).max(0.0)
            }
            ToolKind::Reamer if self.tip_diameter_mm <= 0.0 => r - REAMER_LEAD * self.diameter_mm,
            _ => (self.tip_diameter_mm / 2.0).clamp(0.0, r),
        }
    }
    /// By so much is the pitch diameter of a nut thread larger than basic that it cuts, mm: a single row of teeth has the crest of its largest pitch,
    /// (p − P)/8 too wide for a smaller one, and that on flanks of 30° (derived).
    pub fn loose_by(&self, pitch: f64) -> f64 {
        self.pitch_mm.map_or(0.0, |p| (p - pitch).max(0.0) / 8.0 * 3f64.sqrt())
    }
    /// Its outline from the lowest point to the end of its teeth: height and radius, mm. The teeth of what cuts threads one by one, as they are
    /// when they go round (60°, crests an eighth of the pitch wide).
    pub fn profile(&self) -> Vec<[f64; 2]> {
        const FLANK: f64 = 0.577_350_269_189_625_8;
        let (r, l) = (self.radius(), self.flute_length_mm);
        let tooth = |out: &mut Vec<[f64; 2]>, low: f64, pitch: f64| {
            // A sharp 60° form with a flat crest: 5/8 of its height stands over the core.
            let depth = 5.0 / 8.0 * 3f64.sqrt() / 2.0 * pitch;
            let crest = pitch / 8.0;
            let mid = low + pitch / 2.0;
            out.extend([
                [mid - crest / 2.0 - depth * FLANK, r - depth],
                [mid - crest / 2.0, r],
                [mid + crest / 2.0, r],
                [mid + crest / 2.0 + depth * FLANK, r - depth],
            ]);
        };
        let mut out = Vec::new();
        match (self.kind, self.pitch_mm, self.least_pitch_mm) {
            (ToolKind::ThreadMill, Some(p), None) => {
                (0..(l / p + 1e-9).floor() as u32).for_each(|k| tooth(&mut out, f64::from(k) * p, p));
            }
            // Its crest is that of its largest pitch: of a smaller one the groove is a little wide.
            (ToolKind::ThreadMill, Some(p), Some(_)) => tooth(&mut out, (l - p) / 2.0, p),
            (ToolKind::Ball | ToolKind::Bull, ..) => {
                let c = self.corner();
                let at = |k: u32| c * (1.0 - (f64::from(k) * std::f64::consts::FRAC_PI_2 / 32.0).cos());
                out.extend((0..=32).map(|k| [at(k), self.radius_at(at(k))]));
            }
            (ToolKind::Dovetail, ..) => out.extend([[0.0, self.radius_at(0.0)], [l, self.radius_at(l)]]),
            _ => {
                out.push([0.0, self.radius_at(0.0)]);
                let h = self.point_height();
                if h > 1e-9 && h < l {
                    out.push([h, r]);
                }
            }
        }
        if out.last().is_none_or(|p| p[0] < l - 1e-9) {
            let r = out.last().map_or(r, |p| p[1].max(if self.kind == ToolKind::ThreadMill { 0.0 } else { r }));
            out.push([l, r]);
        }
        out
    }
    /// Is its section the same at all heights?
    pub fn is_cylinder(&self) -> bool {
        self.point_height() == 0.0 && self.narrows().is_none()
    }
    /// By so much of its radius a cutter becomes slimmer for each mm above its end: of a dovetail cutter the cotangent of its flank.
    fn narrows(&self) -> Option<f64> {
        (self.kind == ToolKind::Dovetail).then(|| self.flank_deg.unwrap_or(90.0).to_radians().tan().recip())
    }
    /// Radius of the cutting body at height `h` ≥ 0; only a dovetail cutter's falls with height.
    pub fn radius_at(&self, h: f64) -> f64 {
        let r = self.radius();
        if let Some(cot) = self.narrows() {
            return (r - h.clamp(0.0, self.flute_length_mm) * cot).max(0.0);
        }
        if let Some(tan) = self.cone() {
            return (self.tip_radius() + h * tan).min(r);
        }
        let c = self.corner();
        if h >= c { r } else { r - c + (c * c - (c - h) * (c - h)).max(0.0).sqrt() }
    }
    /// Lowest height at which the body reaches `r` from its axis; infinite beyond the cutter.
    pub fn height_at(&self, r: f64) -> f64 {
        if r > self.radius() {
            return f64::INFINITY;
        }
        if let Some(tan) = self.cone() {
            return ((r - self.tip_radius()) / tan).max(0.0);
        }
        let (c, flat) = (self.corner(), self.radius() - self.corner());
        if r <= flat { 0.0 } else { c - (c * c - (r - flat) * (r - flat)).max(0.0).sqrt() }
    }
    /// Greatest height at which the cutting body reaches `r` from its axis: the end of its teeth, of a dovetail cutter less beyond its neck.
    pub fn top_at(&self, r: f64) -> f64 {
        match self.narrows() {
            Some(cot) if cot > 1e-9 => ((self.radius() - r) / cot).clamp(0.0, self.flute_length_mm),
            _ => self.flute_length_mm,
        }
    }
    /// Largest radius of the cutting body over heights from `a` to `b` above its end, those of its teeth only.
    pub fn widest(&self, a: f64, b: f64) -> f64 {
        let h = if self.narrows().is_some() { a } else { b };
        self.radius_at(h.clamp(0.0, self.flute_length_mm))
    }
    /// From the lowest point to the holder's upper end (gauge line), mm.
    pub fn gauge_length(&self) -> f64 {
        self.stickout_mm + self.holder.iter().map(|p| p.length_mm).sum::<f64>()
    }
    /// What must not touch the stock: (radius, from height, to height) of shank and holder.
    pub fn dead_body(&self) -> Vec<(f64, f64, f64)> {
        let mut out = Vec::new();
        if self.stickout_mm > self.flute_length_mm {
            out.push((self.shank_diameter_mm / 2.0, self.flute_length_mm, self.stickout_mm));
        }
        let mut at = self.stickout_mm.max(self.flute_length_mm);
        for p in &self.holder {
            out.push((p.diameter_mm / 2.0, at, at + p.length_mm));
            at += p.length_mm;
        }
        out
    }
    /// "flat end mill Ø6".
    pub fn words(&self) -> String {
        match (self.kind, self.pitch_mm, self.least_pitch_mm) {
            (ToolKind::ThreadMill, Some(b), Some(a)) => format!(
                "{} Ø{} for pitches of {} to {}",
                self.kind.words(),
                len(trim(self.diameter_mm)),
                len(trim(a)),
                len(trim(b))
            ),
            (ToolKind::Tap | ToolKind::ThreadMill, Some(p), None) => {
                format!("{} Ø{} × {}", self.kind.words(), len(trim(self.diameter_mm)), len(trim(p)))
            }
            _ if self.kind == ToolKind::TSlot => {
                format!("{} Ø{} × {}", self.kind.words(), len(trim(self.diameter_mm)), len(trim(self.flute_length_mm)))
            }
            _ if self.kind == ToolKind::Dovetail => format!(
                "{} Ø{}, {}°",
                self.kind.words(),
                len(trim(self.diameter_mm)),
                trim(self.flank_deg.unwrap_or(90.0))
            ),
            _ => format!("{} Ø{}", self.kind.words(), len(trim(self.diameter_mm))),
        }
    }
    /// Why this description makes no cutter, if it does not.
    pub fn fault(&self) -> Option<String> {
        let positive = [
            ("diameter_mm", self.diameter_mm),
            ("flute_length_mm", self.flute_length_mm),
            ("shank_diameter_mm", self.shank_diameter_mm),
            ("stickout_mm", self.stickout_mm),
        ];
        for (name, v) in positive {
            if !(v.is_finite() && v > 0.0 && v < 1000.0) {
                return Some(format!("tool {}: {name} is {v}; give a length above 0", self.number));
            }
        }
        for (name, v) in [
            ("corner_radius_mm", self.corner_radius_mm),
            ("tip_diameter_mm", self.tip_diameter_mm),
            ("point_angle_deg", self.point_angle_deg),
        ] {
            if !(v.is_finite() && v >= 0.0) {
                return Some(format!("tool {}: {name} is {v}; give 0 or more", self.number));
            }
        }
        for (name, v) in
            [("pitch_mm", self.pitch_mm), ("lead_threads", self.lead_threads), ("least_pitch_mm", self.least_pitch_mm)]
        {
            if v.is_some_and(|v| !(v.is_finite() && v > 0.0 && v <= self.diameter_mm.max(20.0))) {
                return Some(format!("tool {}: {name} is {:?}; give a length above 0", self.number, v.unwrap_or(0.0)));
            }
        }
        if self.least_pitch_mm.zip(self.pitch_mm).is_some_and(|(a, b)| a > b) {
            return Some(format!("tool {}: least_pitch_mm is more than pitch_mm", self.number));
        }
        if matches!(self.kind, ToolKind::Tap | ToolKind::ThreadMill) && self.pitch_mm.is_none() {
            return Some(format!("tool {}: a {} needs its pitch_mm", self.number, self.kind.words()));
        }
        if self.kind.undercuts() && self.shank_diameter_mm >= self.diameter_mm - 1e-6 {
            return Some(format!(
                "tool {}: shank_diameter_mm of a {} is its neck, slimmer than its head",
                self.number,
                self.kind.words()
            ));
        }
        if self.kind == ToolKind::Dovetail {
            let Some(flank) = self.flank_deg.filter(|f| (30.0..=85.0).contains(f)) else {
                return Some(format!("tool {}: a dovetail cutter needs its flank_deg, 30 to 85", self.number));
            };
            let upper = 2.0 * self.radius_at(self.flute_length_mm);
            if upper < self.shank_diameter_mm - 1e-3 {
                return Some(format!(
                    "tool {}: at its upper end a flank of {flank}° leaves Ø{upper:.2}, less than its neck; shorten flute_length_mm",
                    self.number
                ));
            }
        }
        self.holder
            .iter()
            .any(|p| {
                !(p.diameter_mm.is_finite() && p.diameter_mm > 0.0 && p.length_mm.is_finite() && p.length_mm >= 0.0)
            })
            .then(|| format!("tool {}: a holder piece has no size", self.number))
    }
}

/// A number without needless zeros, three decimals at most.
pub fn trim(v: f64) -> String {
    let s = format!("{v:.3}");
    s.trim_end_matches('0').trim_end_matches('.').to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tool(kind: ToolKind, d: f64, corner: f64, tip: f64, angle: f64) -> Tool {
        Tool {
            number: 1,
            kind,
            diameter_mm: d,
            corner_radius_mm: corner,
            tip_diameter_mm: tip,
            point_angle_deg: angle,
            flute_length_mm: 20.0,
            shank_diameter_mm: d,
            stickout_mm: 30.0,
            holder: vec![],
            flutes: 2,
            carbide: true,
            centre_cutting: true,
            ramp_deg: None,
            helix_deg: None,
            pitch_mm: None,
            least_pitch_mm: None,
            lead_threads: None,
            floating: false,
            flank_deg: None,
        }
    }

    /// A dovetail cutter of 60°, Ø16, 6 high: Ø16 at its end, 16 − 2·6·cot 60° = 9.07 at the upper end of its flank (derived).
    #[test]
    fn a_dovetail_cutter_is_widest_at_its_end() {
        let slim = Tool {
            flank_deg: Some(60.0),
            shank_diameter_mm: 8.0,
            flute_length_mm: 6.0,
            ..tool(ToolKind::Dovetail, 16.0, 0.0, 0.0, 0.0)
        };
        assert_eq!(slim.fault(), None);
        assert_eq!(slim.radius_at(0.0), 8.0);
        assert!((2.0 * slim.radius_at(6.0) - 9.071_8).abs() < 1e-4 && !slim.is_cylinder());
        for k in 0..=20 {
            let h = 6.0 * f64::from(k) / 20.0;
            assert!((slim.top_at(slim.radius_at(h)) - h).abs() < 1e-9 && slim.height_at(slim.radius_at(h)) == 0.0);
        }
        assert_eq!((slim.widest(-3.0, 2.0), slim.widest(6.0, 9.0)), (8.0, slim.radius_at(6.0)));
        assert_eq!(slim.profile(), [[0.0, 8.0], [6.0, slim.radius_at(6.0)]]);
        // A neck that is thicker than the cone's upper end, no flank, a shank as thick as the head.
        for bad in [
            Tool { shank_diameter_mm: 9.2, ..slim.clone() },
            Tool { flank_deg: None, ..slim.clone() },
            Tool { kind: ToolKind::TSlot, shank_diameter_mm: 16.0, ..slim.clone() },
        ] {
            assert!(bad.fault().is_some(), "{bad:?}");
        }
    }

    /// Point height of a drill (D/2)/tan(point/2): 118° 0.30043 D, 135° 0.20711 D, 140° 0.18199 D, 90° 0.5 D (derived).
    #[test]
    fn point_heights() {
        for (angle, k) in [(118.0, 0.300_43), (135.0, 0.207_11), (140.0, 0.181_99), (90.0, 0.5)] {
            assert!((tool(ToolKind::Drill, 10.0, 0.0, 0.0, angle).point_height() - 10.0 * k).abs() < 1e-4);
        }
    }

    /// Radius and height are inverse to each other on the rising part.
    #[test]
    fn profile_inverts() {
        for t in [
            tool(ToolKind::Ball, 6.0, 0.0, 0.0, 0.0),
            tool(ToolKind::Bull, 10.0, 1.0, 0.0, 0.0),
            tool(ToolKind::Chamfer, 8.0, 0.0, 1.0, 90.0),
            tool(ToolKind::Drill, 5.0, 0.0, 0.0, 118.0),
            tool(ToolKind::Reamer, 6.0, 0.0, 0.0, 0.0),
            Tool { pitch_mm: Some(1.0), lead_threads: Some(4.0), ..tool(ToolKind::Tap, 6.0, 0.0, 0.0, 0.0) },
        ] {
            for k in 1..50 {
                let h = t.point_height() * f64::from(k) / 50.0;
                assert!((t.height_at(t.radius_at(h)) - h).abs() < 1e-9, "{t:?} {h}");
            }
            assert_eq!(t.radius_at(t.point_height() + 1.0), t.radius());
            assert!(t.height_at(t.radius() + 0.01).is_infinite());
        }
    }
}
