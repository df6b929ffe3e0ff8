//! Machine and vise.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

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
    pub usable_source: String,
    /// Highest torque, N m.
    pub torque_nm: f64,
}

impl Machine {
    /// Power that may be counted on, kW.
    pub fn usable_kw(&self) -> f64 {
        self.plate_kw * self.usable_share
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
    /// "flood" or "dry".
    pub coolant: String,
    /// Cheap and soft: for rehearsals.
    #[serde(default)]
    pub substitute: bool,
    /// Where the numbers come from.
    pub source: String,
}
