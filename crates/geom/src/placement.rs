//! Rigid placements between frames.

use crate::Box3;
use glam::{DMat3, DVec3};
use serde::{Deserialize, Serialize};

/// Directions along the axes, with their names.
pub const DIRECTIONS: [(DVec3, &str); 6] = [
    (DVec3::Z, "+Z"),
    (DVec3::NEG_Z, "−Z"),
    (DVec3::X, "+X"),
    (DVec3::NEG_X, "−X"),
    (DVec3::Y, "+Y"),
    (DVec3::NEG_Y, "−Y"),
];

/// Takes points of one frame to another: turn, then shift. The name of a variable says from which to which
/// (`part_from_work` acts on work coordinates and gives part coordinates).
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Placement {
    /// Right-handed rotation.
    pub turn: DMat3,
    /// Shift after the turn, mm.
    pub shift: DVec3,
}

impl Placement {
    /// Changes nothing.
    pub const IDENTITY: Placement = Placement { turn: DMat3::IDENTITY, shift: DVec3::ZERO };

    /// A point of the source frame in the target frame.
    pub fn point(&self, p: DVec3) -> DVec3 {
        self.turn * p + self.shift
    }
    /// A direction.
    pub fn dir(&self, d: DVec3) -> DVec3 {
        self.turn * d
    }
    /// The way back.
    pub fn inverse(&self) -> Placement {
        let turn = self.turn.transpose();
        Placement { turn, shift: -(turn * self.shift) }
    }
    /// First `first`, then this.
    pub fn after(&self, first: &Placement) -> Placement {
        Placement { turn: self.turn * first.turn, shift: self.turn * first.shift + self.shift }
    }
    /// Box around the placed box.
    pub fn bounds(&self, b: &Box3) -> Box3 {
        Box3::of(b.corners().into_iter().map(|c| self.point(c)))
    }
    /// Row by row, 16 numbers, acting on column vectors; the shift in elements 4, 8 and 12.
    pub fn to_rows(&self) -> [f64; 16] {
        let (t, s) = (self.turn, self.shift);
        [
            t.x_axis.x, t.y_axis.x, t.z_axis.x, s.x, //
            t.x_axis.y, t.y_axis.y, t.z_axis.y, s.y, //
            t.x_axis.z, t.y_axis.z, t.z_axis.z, s.z, //
            0.0, 0.0, 0.0, 1.0,
        ]
    }
    /// The reverse of [`Self::to_rows`]. `None` unless it is a right-handed rotation and a finite shift. A rotation that maps axes onto axes to a
    /// billionth does so exactly.
    pub fn from_rows(m: &[f64; 16]) -> Option<Placement> {
        let close = |a: f64, b: f64| (a - b).abs() < 1e-9;
        if !m.iter().all(|v| v.is_finite()) || !(0..3).all(|k| m[12 + k] == 0.0) || !close(m[15], 1.0) {
            return None;
        }
        let snap = |v: f64| if close(v, v.round()) { v.round() } else { v };
        let col = |k: usize| DVec3::new(snap(m[k]), snap(m[4 + k]), snap(m[8 + k]));
        let turn = DMat3::from_cols(col(0), col(1), col(2));
        let square = (turn.transpose() * turn).abs_diff_eq(DMat3::IDENTITY, 1e-9) && close(turn.determinant(), 1.0);
        square.then(|| Placement { turn, shift: DVec3::new(m[3], m[7], m[11]) })
    }
    /// Does it map axes onto axes?
    pub fn is_axial(&self) -> bool {
        (0..3).all(|k| self.turn.col(k).abs().max_element() == 1.0)
    }
    /// The rotation whose third axis is `up` and whose first is `along`, as columns (work axes in part coordinates).
    pub fn from_axes(along: DVec3, up: DVec3) -> Placement {
        Placement { turn: DMat3::from_cols(along, up.cross(along), up), shift: DVec3::ZERO }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_round_trip_and_mirrors_are_refused() {
        let p = Placement { shift: DVec3::new(1.0, -2.0, 3.5), ..Placement::from_axes(DVec3::Y, DVec3::NEG_Z) };
        assert_eq!(Placement::from_rows(&p.to_rows()), Some(p));
        let q = DVec3::new(4.0, 5.0, 6.0);
        assert!((p.inverse().point(p.point(q)) - q).length() < 1e-12);
        let mut mirror = Placement::IDENTITY.to_rows();
        mirror[0] = -1.0;
        assert_eq!(Placement::from_rows(&mirror), None);
        let mut skew = Placement::IDENTITY.to_rows();
        skew[1] = 0.5;
        assert_eq!(Placement::from_rows(&skew), None);
        let tilted = Placement { turn: DMat3::from_rotation_x(0.4) * DMat3::from_rotation_z(1.1), shift: DVec3::X };
        assert_eq!(Placement::from_rows(&tilted.to_rows()), Some(tilted));
        assert!(!tilted.is_axial() && p.is_axial());
        let mut wide = tilted.to_rows();
        wide[0] += 1e-6;
        assert_eq!(Placement::from_rows(&wide), None);
    }
}
