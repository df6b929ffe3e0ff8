//! Machine and vise.

use reason::Sources;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What the spindle gives at one speed, by its plate.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct SpindlePoint {
    /// 1/min.
    pub rpm: f64,
    /// kW.
    pub kw: f64,
    /// N m.
    pub nm: f64,
}

/// A three-axis mill. Machine coordinates are those of the spindle nose; z is 0 at the top and falls.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Machine {
    /// Stable name.
    pub id: String,
    /// Words.
    pub name: String,
    /// Lowest machine coordinates, mm.
    pub travel_min_mm: [f64; 3],
    /// Highest machine coordinates, mm.
    pub travel_max_mm: [f64; 3],
    /// From the nose at z 0 down to the table, mm.
    pub nose_to_table_mm: f64,
    /// Spindle range, 1/min.
    pub rpm_min: f64,
    /// Spindle range, 1/min.
    pub rpm_max: f64,
    /// Highest cutting feed, mm/min.
    pub feed_max_mm_min: f64,
    /// Rapid, mm/min.
    pub rapid_mm_min: f64,
    /// mm/s².
    pub acceleration_mm_s2: f64,
    /// Deviation at junctions, mm.
    pub junction_mm: f64,
    /// Shortest block, s.
    pub block_s: f64,
    /// By hand or changer, min.
    pub tool_change_min: f64,
    /// Nameplate, kW.
    pub plate_kw: f64,
    /// Share of the plate that the spindle has proved to give.
    pub usable_share: f64,
    /// Where that share comes from.
    #[serde(serialize_with = "Sources::as_written")]
    #[ts(type = "string")]
    pub usable_source: Sources,
    /// Highest torque, N m.
    pub torque_nm: f64,
    /// Speeds that the spindle can run at where it has steps (belts, gears), 1/min; none where it is free.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rpm_steps: Vec<f64>,
    /// Power and torque against speed by the plate, rising in speed; between the points in a straight line. Without points the plate's power
    /// and the highest torque hold at all speeds.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub spindle: Vec<SpindlePoint>,
    /// The control holds the feed to the spindle's turns while it taps, and back: a tap may sit in a stiff holder.
    #[serde(default)]
    pub rigid_tapping: bool,
    /// Its control: short name of a description of how programs are written for it.
    #[serde(default = "control")]
    pub dialect: String,
    /// To turn the spindle round at the bottom of a tapped hole, s.
    #[serde(default = "reversal")]
    pub reversal_s: f64,
}

/// Turning a spindle round takes about a second (common practice, no source).
fn reversal() -> f64 {
    1.0
}

/// The control that a shop without a word about it has.
fn control() -> String {
    "bench".into()
}

/// A commanded speed may differ from a step by this share, and still be that step.
const SAME_STEP: f64 = 0.02;

impl Machine {
    /// Power and torque of the plate at a speed: (kW, N m).
    fn at(&self, rpm: f64) -> (f64, f64) {
        let p = &self.spindle;
        let (Some(first), Some(last)) = (p.first(), p.last()) else { return (self.plate_kw, self.torque_nm) };
        if rpm <= first.rpm {
            // Below its first point the torque stays and the power falls with the speed.
            return (first.kw * (rpm / first.rpm).clamp(0.0, 1.0), first.nm);
        }
        let k = p.partition_point(|q| q.rpm < rpm);
        if k >= p.len() {
            return (last.kw, last.nm);
        }
        let (a, b) = (p[k - 1], p[k]);
        let t = (rpm - a.rpm) / (b.rpm - a.rpm);
        (a.kw + (b.kw - a.kw) * t, a.nm + (b.nm - a.nm) * t)
    }
    /// Power that may be counted on at a speed, kW.
    pub fn usable_kw(&self, rpm: f64) -> f64 {
        self.at(rpm).0 * self.usable_share
    }
    /// Torque that may be counted on at a speed, N m.
    pub fn usable_nm(&self, rpm: f64) -> f64 {
        self.at(rpm).1 * self.usable_share
    }
    /// The most power that may be counted on at any speed, kW.
    pub fn most_usable_kw(&self) -> f64 {
        self.spindle.iter().map(|p| p.kw).reduce(f64::max).unwrap_or(self.plate_kw) * self.usable_share
    }
    /// Middle of its travel along x and y, machine coordinates, mm.
    pub fn middle_mm(&self) -> [f64; 2] {
        [0, 1].map(|k| f64::midpoint(self.travel_min_mm[k], self.travel_max_mm[k]))
    }
    /// Where its axes stand when they are sent to their reference point, machine coordinates, mm: at the upper ends of their travel, z at the
    /// top, the table at the front (common practice, no source).
    pub fn reference_mm(&self) -> [f64; 3] {
        let [x, y, _] = self.travel_max_mm;
        [x, y, 0.0]
    }
    /// Can the spindle run at this speed? Where it has steps, only at them.
    pub fn runs_at(&self, rpm: f64) -> bool {
        let stepped = self.rpm_steps.is_empty() || self.rpm_steps.iter().any(|s| (rpm / s - 1.0).abs() <= SAME_STEP);
        rpm >= self.rpm_min - 1e-6 && rpm <= self.rpm_max + 1e-6 && stepped
    }
    /// The fastest speed that it can run at and that is no faster than `rpm`; none where all are faster.
    pub fn speed_below(&self, rpm: f64) -> Option<f64> {
        let top = if rpm < self.rpm_max { rpm } else { self.rpm_max };
        if self.rpm_steps.is_empty() {
            return (top >= self.rpm_min).then_some(top);
        }
        self.rpm_steps.iter().copied().filter(|s| *s <= top + 1e-6).reduce(f64::max)
    }
    /// Why this description makes no machine, if it does not.
    pub fn fault(&self) -> Option<String> {
        let rising = self.spindle.windows(2).all(|w| w[0].rpm < w[1].rpm);
        let sound = self.spindle.iter().all(|p| [p.rpm, p.kw, p.nm].iter().all(|v| v.is_finite() && *v > 0.0));
        if !rising || !sound {
            return Some("the spindle's points must rise in speed and be above 0".into());
        }
        let travel = (0..3).all(|k| {
            let (a, b) = (self.travel_min_mm[k], self.travel_max_mm[k]);
            a.is_finite() && b.is_finite() && a < b && b - a < 10_000.0
        });
        if !travel {
            return Some("the mill's travel must go from a lower to a higher coordinate along each axis".into());
        }
        let moves = [
            self.nose_to_table_mm,
            self.feed_max_mm_min,
            self.rapid_mm_min,
            self.acceleration_mm_s2,
            self.junction_mm,
            self.block_s,
            self.plate_kw,
            self.torque_nm,
        ];
        if !moves.iter().all(|v| v.is_finite() && *v > 0.0)
            || self.tool_change_min.is_nan()
            || self.tool_change_min < 0.0
        {
            return Some("the mill's feeds, acceleration, power, torque and times must be above 0".into());
        }
        if !(self.usable_share > 0.0 && self.usable_share <= 1.0) {
            return Some("the share of its power that the spindle gives lies between 0 and 1".into());
        }
        let steps = self.rpm_steps.iter().all(|s| s.is_finite() && *s > 0.0);
        let range = self.rpm_min > 0.0 && self.rpm_max > self.rpm_min && self.rpm_max.is_finite();
        (!steps || !range).then(|| "the spindle's speeds must be above 0, and the highest above the lowest".into())
    }
}

#[cfg(test)]
mod tests {
    use crate::Shop;

    #[test]
    fn power_and_torque_follow_the_curve_and_steps_are_kept() {
        let mut m = Shop::demo().unwrap().machine;
        assert!(m.fault().is_none());
        for p in m.spindle.clone() {
            assert!((m.usable_kw(p.rpm) - p.kw * m.usable_share).abs() < 1e-9);
            // No point promises more torque than its power makes (n·M/9550), but for rounding.
            assert!(p.nm * p.rpm / 9550.0 <= p.kw * 1.05, "{p:?}");
        }
        assert!(m.usable_nm(300.0) > m.usable_nm(5000.0) && m.usable_kw(100.0) < m.usable_kw(200.0));
        assert!(m.runs_at(3333.0) && !m.runs_at(60_000.0) && !m.runs_at(50.0));
        assert_eq!(m.speed_below(2400.0), Some(2400.0));
        m.rpm_steps = vec![400.0, 800.0, 1600.0];
        assert!(m.runs_at(805.0) && !m.runs_at(1200.0));
        assert_eq!((m.speed_below(1500.0), m.speed_below(399.0)), (Some(800.0), None));
    }
}

/// A vise with its parallels. The fixed jaw stands at the back (+y).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Vise {
    /// Words.
    pub name: String,
    /// Along x, mm.
    pub jaw_width_mm: f64,
    /// From bed to jaw top, mm.
    pub jaw_height_mm: f64,
    /// Along y, mm.
    pub jaw_thickness_mm: f64,
    /// Widest opening, mm.
    pub opening_mm: f64,
    /// From table to bed, mm.
    pub bed_height_mm: f64,
    /// Clamp force, kN.
    pub clamp_kn: f64,
    /// Heights of the pairs on hand, mm.
    pub parallels_mm: Vec<f64>,
    /// mm.
    pub parallel_width_mm: f64,
    /// Blocks on hand to close soft jaws on while they are cut: their widths, mm.
    #[serde(default)]
    pub spacers_mm: Vec<f64>,
}

impl Vise {
    /// Why this holds nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sizes = [
            self.jaw_width_mm,
            self.jaw_height_mm,
            self.jaw_thickness_mm,
            self.opening_mm,
            self.bed_height_mm,
            self.clamp_kn,
            self.parallel_width_mm,
        ];
        let all = sizes.iter().chain(&self.parallels_mm).chain(&self.spacers_mm);
        let sound = all.clone().all(|v| v.is_finite() && *v > 0.0 && *v < 2000.0);
        (!sound).then(|| format!("the vise '{}' must have sizes and a force above 0", self.name))
    }
}

/// A pair of soft jaws that nothing has been cut into yet, as they are bought or sawn. They are bolted to the vise in place of its hard jaws.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct JawBlanks {
    /// Words.
    pub name: String,
    /// Id of what they are made of.
    pub material: String,
    /// Along x, mm.
    pub width_mm: f64,
    /// Along y, mm.
    pub thickness_mm: f64,
    /// From the vise's bed up, mm.
    pub height_mm: f64,
    /// Distance between the two bolts of a jaw, mm; they go through along y.
    pub bolts_apart_mm: f64,
    /// Middle of the bolts above the bed, mm.
    pub bolts_up_mm: f64,
    /// Bore for a bolt's head: nothing may be cut into it, mm.
    pub bolt_head_mm: f64,
    /// Thread of the bolts, mm, and what they are tightened with, N m.
    pub bolt_mm: f64,
    /// See `bolt_mm`.
    pub bolt_nm: f64,
    /// Pairs on hand.
    pub pairs: u32,
}

impl JawBlanks {
    /// Why this describes no jaws, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sizes = [self.width_mm, self.thickness_mm, self.height_mm, self.bolt_mm, self.bolt_head_mm];
        let sound = sizes.iter().all(|v| v.is_finite() && *v > 0.0 && *v < 1000.0);
        let bolted = self.bolts_up_mm + self.bolt_head_mm / 2.0 < self.height_mm && self.bolts_apart_mm < self.width_mm;
        (!sound || !bolted)
            .then(|| format!("the jaw blanks '{}' must have sizes above 0 that hold their bolts", self.name))
    }
}

/// A three-jaw chuck that is bolted to the table, its axis upright.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Chuck {
    /// Words.
    pub name: String,
    /// Of its body, mm.
    pub body_diameter_mm: f64,
    /// From the table to its face, mm.
    pub body_height_mm: f64,
    /// Of a jaw above the face, mm.
    pub jaw_height_mm: f64,
    /// Of a jaw, mm.
    pub jaw_width_mm: f64,
    /// Of a jaw, radially, mm.
    pub jaw_length_mm: f64,
    /// Least and largest diameter that it grips from outside, mm.
    pub range_mm: [f64; 2],
    /// Of each jaw by hand, kN.
    pub clamp_kn: f64,
}

impl Chuck {
    /// Why this describes no chuck, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sizes = [self.body_diameter_mm, self.body_height_mm, self.jaw_height_mm, self.jaw_width_mm, self.clamp_kn];
        let sound = sizes.iter().all(|v| v.is_finite() && *v > 0.0 && *v < 2000.0);
        let range = self.range_mm[0] >= 0.0 && self.range_mm[0] < self.range_mm[1];
        (!sound || !range).then(|| format!("the chuck '{}' must have sizes above 0 and a range", self.name))
    }
}

/// N/mm².
fn like_aluminium() -> f64 {
    70_000.0
}

/// A material.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Material {
    /// Stable name for the command line.
    pub id: String,
    /// Words.
    pub name: String,
    /// Cutting speed with carbide, m/min.
    pub vc_carbide_m_min: f64,
    /// Cutting speed with high-speed steel, m/min.
    pub vc_hss_m_min: f64,
    /// Feed per tooth ÷ diameter for a side cut.
    pub fz_share_of_diameter: f64,
    /// Specific force at 1 mm × 1 mm, N/mm².
    pub kc11_mpa: f64,
    /// Exponent of the chip thickness.
    pub mc: f64,
    /// Smallest programmed feed per tooth ÷ diameter.
    pub chip_floor_share: f64,
    /// Drill feed per revolution ÷ diameter.
    pub drill_feed_share: f64,
    /// g/cm³.
    pub density_g_cm3: f64,
    /// Against a vise jaw.
    pub friction: f64,
    /// Yield (0.2 %) of the usual temper, N/mm²: for the pressure of jaws.
    pub yield_mpa: f64,
    /// Modulus of elasticity, N/mm²: for what bends under a cutter. A shop that was kept before there was this number gets aluminium's.
    #[serde(default = "like_aluminium")]
    pub young_mpa: f64,
    /// "flood" or "dry".
    pub coolant: String,
    /// Cheap and soft: for rehearsals.
    #[serde(default)]
    pub substitute: bool,
    /// What to beware of when it is cut; none where it is as usual.
    #[serde(default)]
    pub caution: String,
    /// Where the numbers come from.
    #[serde(serialize_with = "Sources::as_written")]
    #[ts(type = "string")]
    pub source: Sources,
}

impl Material {
    /// Why this cannot be cut by its numbers, if it cannot.
    pub fn fault(&self) -> Option<String> {
        let above = [
            ("a cutting speed with carbide", self.vc_carbide_m_min),
            ("a cutting speed with high-speed steel", self.vc_hss_m_min),
            ("a feed of a tooth", self.fz_share_of_diameter),
            ("a specific force kc1.1", self.kc11_mpa),
            ("a smallest feed of a tooth", self.chip_floor_share),
            ("a drill's feed", self.drill_feed_share),
            ("a density", self.density_g_cm3),
            ("a friction", self.friction),
            ("a yield", self.yield_mpa),
            ("a modulus of elasticity", self.young_mpa),
        ];
        let bad = above.iter().find(|(_, v)| !(v.is_finite() && *v > 0.0)).map(|(what, _)| *what);
        let share = |v: f64| (0.0..1.0).contains(&v);
        if let Some(what) = bad {
            return Some(format!("'{}' must have {what} above 0", self.name));
        }
        if !share(self.mc) || !share(self.fz_share_of_diameter) || !share(self.drill_feed_share) {
            return Some(format!(
                "'{}': the exponent mc and feeds as shares of the diameter lie between 0 and 1",
                self.name
            ));
        }
        (!["flood", "dry"].contains(&self.coolant.as_str()))
            .then(|| format!("'{}': its coolant is flood or dry", self.name))
    }
}
