//! What a machine really is, known to nobody at it: it comes out by touching.

use geom::{DVec2, DVec3};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A vise is bolted so far from where the plan has it, at most, mm (in X and Y; a tenth of it in Z).
const BOLTED: f64 = 0.5;
/// A cutter is set into its holder by hand to this, mm.
const SET: f64 = 0.3;
/// A setter is off by at most, mm.
pub const SETTER: f64 = 0.002;
/// A size is measured to this, mm.
pub const GAUGED: f64 = 0.003;

/// A cutter as it stands.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Fitted {
    /// Gauge line to tip, mm.
    pub length_mm: f64,
    /// mm.
    pub diameter_mm: f64,
    /// It is broken.
    pub broken: bool,
}

/// The truth.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Hidden {
    /// All that stands is so far from its plan, mm.
    pub shift: DVec3,
    /// And turned about the table's middle by, rad.
    pub turn: f64,
    /// Middle of the table, machine coordinates, mm.
    pub middle: DVec2,
    /// Cutters by T.
    pub cutters: BTreeMap<u32, Fitted>,
    /// Pieces come out so much larger, mm.
    pub large: f64,
    #[serde(skip)]
    dice: fastrand::Rng,
}

impl Hidden {
    /// Bolted and set by a hand that `seed` leads.
    pub fn new(seed: u64, middle: DVec2) -> Hidden {
        let mut h = Hidden {
            shift: DVec3::ZERO,
            turn: 0.0,
            middle,
            cutters: BTreeMap::new(),
            large: 0.0,
            dice: fastrand::Rng::with_seed(seed),
        };
        h.shift = DVec3::new(h.within(BOLTED), h.within(BOLTED), h.within(BOLTED / 10.0));
        h
    }
    /// Evenly from −most to most.
    fn within(&mut self, most: f64) -> f64 {
        (self.dice.f64() * 2.0 - 1.0) * most
    }
    /// A cutter is set by hand.
    pub fn fit(&mut self, tool: u32, length_mm: f64, diameter_mm: f64) {
        let length_mm = length_mm + self.within(SET);
        self.cutters.insert(tool, Fitted { length_mm, diameter_mm, broken: false });
    }
    /// A planned point, where it really is.
    pub fn real(&self, p: DVec3) -> DVec3 {
        let flat = self.middle + DVec2::from_angle(self.turn).rotate(p.truncate() - self.middle);
        flat.extend(p.z) + self.shift
    }
    /// Coordinate along `axis` of the middle of a ball (radius `r`) that comes along the axis at the planned other coordinates and touches the face
    /// whose planned point is `at`, mm; `side` tells from which side. Where the face is turned the ball touches beside: (r + n·(P − x₀)) ÷ n_axis.
    pub fn touch(&self, at: DVec3, axis: usize, side: f64, r: f64) -> f64 {
        let mut normal = DVec3::ZERO;
        normal[axis] = side;
        let n = DVec2::from_angle(self.turn).rotate(normal.truncate()).extend(normal.z);
        // The line it comes along goes through the planned place.
        let mut start = at;
        start[axis] = 0.0;
        (r + n.dot(self.real(at) - start)) / n[axis]
    }
    /// A reading that is off by at most `off`.
    pub fn about(&mut self, value: f64, off: f64) -> f64 {
        let read = value + self.within(off);
        // Displays show thousandths.
        (read * 1000.0).round() / 1000.0
    }
}
