//! What the coordinates of a program mean: zeros, shifts, turned, scaled and polar ones.

use super::ReadSettings;
use geom::{DVec2, DVec3};
use std::collections::BTreeMap;

pub(super) struct Coordinates {
    /// Work zero in machine coordinates.
    pub zero: DVec3,
    /// Zeros by their number, work coordinates: that of G54 is the origin.
    pub systems: BTreeMap<u32, DVec3>,
    pub system: u32,
    /// By G92, and what it was before it was taken off.
    pub shift: DVec3,
    pub shift_kept: Option<DVec3>,
    /// By G52.
    pub local: DVec3,
    /// By G68, rad, about a place in programmed coordinates.
    pub turn: f64,
    pub turn_about: DVec3,
    /// By G51.
    pub scale: f64,
    pub scale_about: DVec3,
    /// G16.
    pub polar: bool,
}

impl Coordinates {
    pub(super) fn new(settings: &ReadSettings) -> Coordinates {
        let mut systems = settings.zeros.clone();
        systems.insert(54, DVec3::ZERO);
        Coordinates {
            zero: settings.zero_in_machine,
            systems,
            system: 54,
            shift: DVec3::ZERO,
            shift_kept: None,
            local: DVec3::ZERO,
            turn: 0.0,
            turn_about: DVec3::ZERO,
            scale: 1.0,
            scale_about: DVec3::ZERO,
            polar: false,
        }
    }
    /// Where the zero of the coordinates in use is, work coordinates.
    pub(super) fn origin(&self) -> DVec3 {
        self.systems.get(&self.system).copied().unwrap_or(DVec3::ZERO) + self.shift + self.local
    }
    /// A difference of programmed coordinates in work coordinates.
    pub(super) fn turned(&self, d: DVec3) -> DVec3 {
        let s = d * self.scale;
        DVec2::from_angle(self.turn).rotate(s.truncate()).extend(s.z)
    }
    /// A programmed place in work coordinates.
    pub(super) fn placed(&self, q: DVec3) -> DVec3 {
        let scaled = self.scale_about + (q - self.scale_about) * self.scale;
        let about = self.turn_about.truncate();
        let flat = about + DVec2::from_angle(self.turn).rotate(scaled.truncate() - about);
        flat.extend(scaled.z) + self.origin()
    }
    /// A place in work coordinates as the program would say it.
    pub(super) fn programmed(&self, pos: DVec3) -> DVec3 {
        let q = pos - self.origin();
        let about = self.turn_about.truncate();
        let flat = about + DVec2::from_angle(-self.turn).rotate(q.truncate() - about);
        self.scale_about + (flat.extend(q.z) - self.scale_about) / self.scale
    }
    /// Where these axis words lead from `pos`, work coordinates; what is not given stays.
    pub(super) fn target(&self, pos: DVec3, given: [Option<f64>; 3], absolute: bool) -> DVec3 {
        if !absolute {
            return pos + self.turned(DVec3::from_array(given.map(|g| g.unwrap_or(0.0))));
        }
        let plain = self.turn == 0.0 && self.scale == 1.0;
        // Exactly: an axis that is not named stays as it is.
        let mut q = if plain { pos } else { self.programmed(pos) };
        let from = if plain { self.origin() } else { DVec3::ZERO };
        for (k, v) in given.iter().enumerate() {
            q[k] = v.map_or(q[k], |v| v + from[k]);
        }
        if plain { q } else { self.placed(q) }
    }
    /// The same by radius and angle (rad) about the zero.
    pub(super) fn polar_target(
        &self,
        pos: DVec3,
        radius: Option<f64>,
        angle: Option<f64>,
        z: Option<f64>,
        absolute: bool,
    ) -> DVec3 {
        let now = self.programmed(pos);
        let value = |given: Option<f64>, was: f64| given.map_or(was, |v| if absolute { v } else { was + v });
        let r = value(radius, now.truncate().length());
        let a = value(angle, now.truncate().to_angle());
        self.placed((DVec2::from_angle(a) * r).extend(value(z, now.z)))
    }
}
