//! Geometry without a trade: planar regions and arc-and-line paths, rigid placements, meshes.
//!
//! Lengths are mm, angles rad. Regions live on an integer grid of 1 nm (coordinates up to ± 9 km fit), so a yes or no is exact
//! for what is on the grid; rounding to it is the only error of a boolean.

mod arcfit;
mod arcpath;
mod bar;
mod convex;
mod mesh;
mod placement;
mod region;
mod remains;
mod slabs;
mod ways;

pub use arcfit::{FitSettings, fit_arcs};
pub use arcpath::{Path2, Seg};
pub use bar::{Bar, BarForm};
pub use convex::hull;
pub use mesh::{Crossing, RayGrid, TriMesh};
pub use placement::{DIRECTIONS, Placement};
pub use region::{Join, Region};
pub use remains::Remains;
pub use slabs::Slabs;
pub use ways::Ways;

pub use glam::{DMat3, DVec2, DVec3};

/// A box in space.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Box3 {
    /// Smallest corner.
    pub min: DVec3,
    /// Largest corner.
    pub max: DVec3,
}

impl Box3 {
    /// Holds nothing; joins to anything.
    pub const EMPTY: Box3 = Box3 { min: DVec3::INFINITY, max: DVec3::NEG_INFINITY };
    /// Around all points.
    pub fn of(points: impl IntoIterator<Item = DVec3>) -> Box3 {
        points.into_iter().fold(Self::EMPTY, |b, p| Box3 { min: b.min.min(p), max: b.max.max(p) })
    }
    /// Edge lengths.
    pub fn size(&self) -> DVec3 {
        self.max - self.min
    }
    /// Its middle.
    pub fn middle(&self) -> DVec3 {
        (self.min + self.max) / 2.0
    }
    /// Grown on every side.
    pub fn grown(&self, by: f64) -> Box3 {
        Box3 { min: self.min - DVec3::splat(by), max: self.max + DVec3::splat(by) }
    }
    /// Is a point in it, its faces included?
    pub fn contains(&self, p: DVec3) -> bool {
        p.cmpge(self.min).all() && p.cmple(self.max).all()
    }
    /// Around both.
    pub fn joined(&self, o: &Box3) -> Box3 {
        Box3 { min: self.min.min(o.min), max: self.max.max(o.max) }
    }
    /// What is in both; empty where its least corner lies beyond its largest.
    pub fn common(&self, o: &Box3) -> Box3 {
        Box3 { min: self.min.max(o.min), max: self.max.min(o.max) }
    }
    /// Do they share a point?
    pub fn meets(&self, o: &Box3) -> bool {
        self.min.cmple(o.max).all() && o.min.cmple(self.max).all()
    }
    /// The eight corners.
    pub fn corners(&self) -> [DVec3; 8] {
        std::array::from_fn(|i| {
            let pick = |bit: usize, k: usize| if i >> bit & 1 == 0 { self.min[k] } else { self.max[k] };
            DVec3::new(pick(0, 0), pick(1, 1), pick(2, 2))
        })
    }
}
