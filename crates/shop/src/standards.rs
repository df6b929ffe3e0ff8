//! Tables of standards: threads, clearance holes, heads, pins, bearings, fits. Second hand, each with its mark: see `data/standards/README.md`.
//!
//! Lengths are mm.

use serde::Deserialize;
use std::sync::OnceLock;

/// A screw thread.
#[derive(Debug, Clone, PartialEq)]
pub struct Thread {
    /// "M8", "M8×1", "1/4-20".
    pub name: String,
    /// The common one of its diameter: coarse, UNC.
    pub common: bool,
    /// Nominal diameter.
    pub major: f64,
    /// Pitch.
    pub pitch: f64,
    /// Minor diameter of the nut thread (basic).
    pub minor: f64,
    /// Tap drills that are in use, the usual one first.
    pub drills: Vec<f64>,
    /// Where the numbers come from.
    pub source: &'static str,
}

impl Thread {
    /// Angle between its flanks, degrees: 60 by ISO 68-1 and ASME B1.1, 55 of pipe threads by ISO 228-1.
    pub fn flanks_deg(&self) -> f64 {
        if self.source == PIPE { 55.0 } else { 60.0 }
    }
}

/// A screw with the holes that let it pass.
#[derive(Debug, Clone, PartialEq)]
pub struct Clearance {
    /// "M8", "1/4".
    pub screw: String,
    /// Diameter of the screw.
    pub major: f64,
    /// ("close", 8.4), ("medium", 9.0), ("coarse", 10.0); a size may stand there twice where editions differ.
    pub holes: Vec<(&'static str, f64)>,
    /// Where the numbers come from.
    pub source: &'static str,
}

/// Head of a socket cap screw.
#[derive(Debug, Clone, PartialEq)]
pub struct Head {
    /// "M8".
    pub screw: String,
    /// Largest head diameter.
    pub diameter: f64,
    /// Height.
    pub height: f64,
    /// Counterbore that is usual.
    pub counterbore: Option<f64>,
}

/// A ball bearing's outside.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bearing {
    /// "6202".
    pub name: &'static str,
    /// Bore, outside diameter, width.
    pub size: [f64; 3],
}

/// Limits of a tolerance class at a size, mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Limits {
    /// "H7".
    pub class: String,
    /// Over the nominal size.
    pub upper: f64,
    /// Over the nominal size.
    pub lower: f64,
    /// Where the numbers come from.
    pub source: &'static str,
}

/// Permissible deviation of a linear size that the drawing gives none for, ± mm, class m (medium); none out of 0.5 to 2000 mm. ISO 2768-1, table 1 (from
/// memory, 95 %).
pub fn general(size: f64) -> Option<f64> {
    const TABLE: [(f64, f64); 7] =
        [(3.0, 0.1), (6.0, 0.1), (30.0, 0.2), (120.0, 0.3), (400.0, 0.5), (1000.0, 0.8), (2000.0, 1.2)];
    (size >= 0.5).then(|| TABLE.iter().find(|(most, _)| size <= *most).map(|t| t.1)).flatten()
}

/// The same for broken edges: heights of chamfers and external radii, ± mm. ISO 2768-1, table 2, class m (from memory, 95 %).
pub fn general_edge(size: f64) -> Option<f64> {
    const TABLE: [(f64, f64); 3] = [(3.0, 0.2), (6.0, 0.5), (f64::INFINITY, 1.0)];
    (size >= 0.5).then(|| TABLE.iter().find(|(most, _)| size <= *most).map(|t| t.1)).flatten()
}

/// Tolerance of the pitch diameter of a nut thread, class 6H, mm: 1.32 · 90 · P^0.4 · d^0.1 µm (ISO 965-1, from memory 85 %; tabulated M6 0.150, M8
/// 0.160, M12 0.200).
pub fn nut_tolerance(major: f64, pitch: f64) -> f64 {
    1.32 * 0.090 * pitch.powf(0.4) * major.powf(0.1)
}

/// Outside dimensions of common deep-groove ball bearings (ISO 15; from memory, 95 %).
pub const BEARINGS: [Bearing; 26] = [
    b("623", 3.0, 10.0, 4.0),
    b("624", 4.0, 13.0, 5.0),
    b("625", 5.0, 16.0, 5.0),
    b("626", 6.0, 19.0, 6.0),
    b("608", 8.0, 22.0, 7.0),
    b("609", 9.0, 24.0, 7.0),
    b("688", 8.0, 16.0, 5.0),
    b("6800", 10.0, 19.0, 5.0),
    b("6801", 12.0, 21.0, 5.0),
    b("6802", 15.0, 24.0, 5.0),
    b("6803", 17.0, 26.0, 5.0),
    b("6804", 20.0, 32.0, 7.0),
    b("6900", 10.0, 22.0, 6.0),
    b("6901", 12.0, 24.0, 6.0),
    b("6902", 15.0, 28.0, 7.0),
    b("6903", 17.0, 30.0, 7.0),
    b("6000", 10.0, 26.0, 8.0),
    b("6001", 12.0, 28.0, 8.0),
    b("6002", 15.0, 32.0, 9.0),
    b("6003", 17.0, 35.0, 10.0),
    b("6004", 20.0, 42.0, 12.0),
    b("6200", 10.0, 30.0, 9.0),
    b("6201", 12.0, 32.0, 10.0),
    b("6202", 15.0, 35.0, 11.0),
    b("6203", 17.0, 40.0, 12.0),
    b("6204", 20.0, 47.0, 14.0),
];

const fn b(name: &'static str, bore: f64, outside: f64, width: f64) -> Bearing {
    Bearing { name, size: [bore, outside, width] }
}

/// Nominal diameters of dowel pins (ISO 8734, ISO 2338; from memory, 95 %), mm.
pub const DOWELS: [f64; 13] = [1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 16.0, 20.0];

const METRIC: &str = "sizes by the basic profile of ISO 68-1 (derived); tap drills of ISO 2306 (from memory, 92 %) and of the package bd_warehouse 0.4.0";
const UNIFIED: &str = "sizes by the basic profile of ASME B1.1 (derived); tap drills of the package bd_warehouse 0.4.0";
const PIPE: &str = "ISO 228-1 in the package bd_warehouse 0.4.0";
const ISO273: &str = "ISO 273 (from memory, 90 %) and the package bd_warehouse 0.4.0";
const B1828: &str = "ASME B18.2.8 (from memory) and the package bd_warehouse 0.4.0";
const ISO286: &str = "ISO 286-2 as in the package pressfit 0.1.0";

fn rows<T: for<'a> Deserialize<'a>>(text: &str) -> Vec<T> {
    // The tables ship with the program and a test reads them all.
    csv::Reader::from_reader(text.as_bytes()).deserialize().flatten().collect()
}

/// All threads.
pub fn threads() -> &'static [Thread] {
    static ALL: OnceLock<Vec<Thread>> = OnceLock::new();
    ALL.get_or_init(|| {
        #[derive(Deserialize)]
        struct Metric {
            thread: String,
            series: String,
            #[serde(rename = "D")]
            d: f64,
            #[serde(rename = "P")]
            p: f64,
            #[serde(rename = "D1")]
            d1: f64,
            #[serde(rename = "D_minus_P")]
            d_minus_p: f64,
            #[serde(rename = "tap_drill_ISO2306_mem")]
            iso: Option<f64>,
            bd_tap_75pct: Option<f64>,
        }
        #[derive(Deserialize)]
        struct Unified {
            thread: String,
            series: String,
            #[serde(rename = "D_in")]
            d: f64,
            #[serde(rename = "P_in")]
            p: f64,
            minor_int_basic: f64,
            bd_tap75_in: Option<f64>,
        }
        #[derive(Deserialize)]
        struct Pipe {
            size: String,
            tpi: f64,
            major_diameter: f64,
            minor_diameter: f64,
        }
        let mut all = Vec::new();
        for r in rows::<Metric>(include_str!("../data/standards/threads_metric.csv")) {
            let mut drills: Vec<f64> = [r.iso, Some(r.d_minus_p), r.bd_tap_75pct].into_iter().flatten().collect();
            // A hole below the minor diameter takes no tap.
            drills.retain(|d| *d > r.d1 - 0.03);
            drills.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
            let common = r.series == "coarse";
            let name = if common {
                r.thread.split('x').next().unwrap_or(&r.thread).to_string()
            } else {
                r.thread.replace('x', "×")
            };
            all.push(Thread { name, common, major: r.d, pitch: r.p, minor: r.d1, drills, source: METRIC });
        }
        for r in rows::<Unified>(include_str!("../data/standards/threads_unified.csv")) {
            let common = r.series == "UNC" || r.series == "UNF";
            let drills = r.bd_tap75_in.into_iter().map(|d| d * 25.4).collect();
            all.push(Thread {
                name: r.thread,
                common,
                major: r.d * 25.4,
                pitch: r.p * 25.4,
                minor: r.minor_int_basic * 25.4,
                drills,
                source: UNIFIED,
            });
        }
        for r in rows::<Pipe>(include_str!("../data/standards/pipe_g_iso228.csv")) {
            all.push(Thread {
                name: format!("G {}", r.size),
                common: false,
                major: r.major_diameter,
                pitch: 25.4 / r.tpi,
                minor: r.minor_diameter,
                // Usual drills lie just above the minor diameter.
                drills: vec![((r.minor_diameter + 0.1) * 10.0).ceil() / 10.0],
                source: PIPE,
            });
        }
        all
    })
}

/// All clearance holes.
pub fn clearances() -> &'static [Clearance] {
    static ALL: OnceLock<Vec<Clearance>> = OnceLock::new();
    ALL.get_or_init(|| {
        #[derive(Deserialize)]
        struct Metric {
            size: String,
            bd_close: Option<f64>,
            bd_normal: Option<f64>,
            bd_loose: Option<f64>,
            iso273_fine_mem: Option<f64>,
            iso273_medium_mem: Option<f64>,
            iso273_coarse_mem: Option<f64>,
        }
        #[derive(Deserialize)]
        struct Inch {
            size: String,
            close_in: Option<f64>,
            normal_in: Option<f64>,
            loose_in: Option<f64>,
        }
        let mut all = Vec::new();
        for r in rows::<Metric>(include_str!("../data/standards/clearance_metric_iso273.csv")) {
            let Some(major) = r.size.strip_prefix('M').and_then(|d| d.parse().ok()) else { continue };
            let mut holes = Vec::new();
            for (word, a, b) in [
                ("close", r.iso273_fine_mem, r.bd_close),
                ("medium", r.iso273_medium_mem, r.bd_normal),
                ("coarse", r.iso273_coarse_mem, r.bd_loose),
            ] {
                for d in [a, b].into_iter().flatten() {
                    if !holes.contains(&(word, d)) {
                        holes.push((word, d));
                    }
                }
            }
            all.push(Clearance { screw: r.size, major, holes, source: ISO273 });
        }
        for r in rows::<Inch>(include_str!("../data/standards/clearance_inch_b18_2_8.csv")) {
            let Some(major) = inch_size(&r.size) else { continue };
            let holes = [("close", r.close_in), ("medium", r.normal_in), ("coarse", r.loose_in)]
                .into_iter()
                .filter_map(|(w, d)| d.map(|d| (w, d * 25.4)))
                .collect();
            all.push(Clearance { screw: r.size, major, holes, source: B1828 });
        }
        all
    })
}

/// "#8" (0.060 + 0.013 N inch), "1/4", "1 1/8" or "1-1/8", mm.
pub fn inch_size(name: &str) -> Option<f64> {
    if let Some(n) = name.strip_prefix('#') {
        let n: f64 = n.parse().ok()?;
        return Some((0.060 + 0.013 * n) * 25.4);
    }
    let mut sum = 0.0;
    for w in name.split([' ', '-']) {
        sum += match w.split_once('/') {
            Some((a, b)) => a.parse::<f64>().ok()? / b.parse::<f64>().ok()?,
            None => w.parse().ok()?,
        };
    }
    Some(sum * 25.4)
}

/// Heads of socket cap screws (ISO 4762 in the package bd_warehouse; counterbores of DIN 974-1 from memory, 85 %).
pub fn heads() -> &'static [Head] {
    static ALL: OnceLock<Vec<Head>> = OnceLock::new();
    ALL.get_or_init(|| {
        #[derive(Deserialize)]
        struct Row {
            size: String,
            dk_max_knurled: f64,
            k: f64,
            #[serde(rename = "cbore_dia_DIN974_1_row1_mem")]
            cbore: Option<f64>,
        }
        rows::<Row>(include_str!("../data/standards/shcs_iso4762_counterbore.csv"))
            .into_iter()
            .map(|r| Head {
                screw: r.size.split('-').next().unwrap_or("").into(),
                diameter: r.dk_max_knurled,
                height: r.k,
                counterbore: r.cbore,
            })
            .collect()
    })
}

/// Limits of a class ("H7", "g6") at a nominal size in mm; none if the class or size is not in the table.
pub fn fit(class: &str, size: f64) -> Option<Limits> {
    #[derive(Deserialize)]
    struct Row {
        class: String,
        over_mm: f64,
        incl_mm: f64,
        upper_um: f64,
        lower_um: f64,
    }
    static ALL: OnceLock<Vec<Row>> = OnceLock::new();
    let all = ALL.get_or_init(|| rows(include_str!("../data/standards/iso286_common_to_250.csv")));
    let r = all.iter().find(|r| r.class == class && size > r.over_mm && size <= r.incl_mm)?;
    Some(Limits { class: class.into(), upper: r.upper_um / 1000.0, lower: r.lower_um / 1000.0, source: ISO286 })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_of_every_table_is_read() {
        let lines = |t: &str| t.lines().filter(|l| !l.trim().is_empty()).count() - 1;
        let text = [
            include_str!("../data/standards/threads_metric.csv"),
            include_str!("../data/standards/threads_unified.csv"),
            include_str!("../data/standards/pipe_g_iso228.csv"),
        ];
        assert_eq!(threads().len(), text.iter().map(|t| lines(t)).sum::<usize>());
        let text = [
            include_str!("../data/standards/clearance_metric_iso273.csv"),
            include_str!("../data/standards/clearance_inch_b18_2_8.csv"),
        ];
        assert_eq!(clearances().len(), text.iter().map(|t| lines(t)).sum::<usize>());
        assert_eq!(heads().len(), lines(include_str!("../data/standards/shcs_iso4762_counterbore.csv")));
    }

    /// Basic profile, ISO 68-1 (derived), and spot values of ISO 724 (from memory, 95 %).
    #[test]
    fn threads_follow_the_basic_profile() {
        for t in threads().iter().filter(|t| !t.name.starts_with('G')) {
            assert!((t.minor - (t.major - 1.082_531_8 * t.pitch)).abs() < 2e-3, "{t:?}");
            for d in &t.drills {
                assert!(*d > t.minor - 0.07 * t.pitch.max(0.5) && *d < t.major, "{} {d}", t.name);
            }
        }
        let m8 = threads().iter().find(|t| t.name == "M8").unwrap();
        assert_eq!((m8.drills[0], m8.minor), (6.8, 6.647));
        let quarter = threads().iter().find(|t| t.name == "1/4-20").unwrap();
        assert!((quarter.drills[0] / 25.4 - 0.201).abs() < 1e-9);
        // The package's 18.5 for M22 lies below the minor diameter and is left out.
        let m22 = threads().iter().find(|t| t.name == "M22").unwrap();
        assert!(m22.drills.iter().all(|d| *d > 19.2));
    }

    /// ISO 286-2: 25 H7 is +21/0 µm, 25 g6 −7/−20, 50 k6 +18/+2 (from memory, 95 %); bands include their upper end.
    #[test]
    fn fits_at_their_sizes() {
        let um = |c: &str, d: f64| fit(c, d).map(|l| ((l.upper * 1e3).round() as i64, (l.lower * 1e3).round() as i64));
        assert_eq!(um("H7", 25.0), Some((21, 0)));
        assert_eq!(um("g6", 25.0), Some((-7, -20)));
        assert_eq!(um("k6", 50.0), Some((18, 2)));
        assert_eq!(um("H7", 30.0), um("H7", 18.001));
        assert_eq!((um("H7", 251.0), um("Q9", 25.0)), (None, None));
    }

    #[test]
    fn nut_tolerances_are_near_the_table() {
        for (d, p, t) in [(6.0, 1.0, 0.150), (8.0, 1.25, 0.160), (12.0, 1.75, 0.200), (20.0, 2.5, 0.224)] {
            let own = super::nut_tolerance(d, p);
            assert!((own / t - 1.0).abs() < 0.08, "{d} {own}");
        }
    }

    #[test]
    fn inch_names_are_sizes() {
        assert!((inch_size("#8").unwrap() - 0.164 * 25.4).abs() < 1e-9);
        assert!((inch_size("1 1/8").unwrap() - 28.575).abs() < 1e-9);
        assert_eq!(inch_size("x"), None);
    }
}
