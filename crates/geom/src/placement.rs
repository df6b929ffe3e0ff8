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
    /// The reverse of [`Self::to_rows`]. `None` unless it is a right-handed rotation that maps axes onto axes and a finite shift.
    pub fn from_rows(m: &[f64; 16]) -> Option<Placement> {
        let close = |a: f64, b: f64| (a - b).abs() < 1e-9;
        if !m.iter().all(|v| v.is_finite()) || !(0..3).all(|k| m[12 + k] == 0.0) || !close(m[15], 1.0) {
            return None;
        }
        let col = |k: usize| DVec3::new(m[k].round(), m[4 + k].round(), m[8 + k].round());
        let turn = DMat3::from_cols(col(0), col(1), col(2));
        let axial = (0..3).all(|r| (0..3).all(|c| close(m[4 * r + c], m[4 * r + c].round())));
        let proper = (0..3).all(|k| turn.col(k).abs().element_sum() == 1.0) && turn.determinant() == 1.0;
        (axial && proper).then(|| Placement { turn, shift: DVec3::new(m[3], m[7], m[11]) })
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
    }
}
