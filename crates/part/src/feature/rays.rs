//! Rays against the part: what stands in the way of a direction, and how thick the material is.

use crate::Part;
use geom::DVec3;
use parry3d_f64::math::Vector;
use parry3d_f64::query::Ray;
use parry3d_f64::shape::{CompositeShapeRef, TriMesh};

/// The part's triangles, ready for rays.
pub struct Rays {
    mesh: TriMesh,
    face: Vec<u32>,
    far: f64,
}

/// Rays start this far off the surface, mm.
const OFF: f64 = 0.004;

impl Rays {
    /// Of a part.
    pub fn new(part: &Part) -> Rays {
        let points = part.mesh.points.iter().map(|p| Vector::new(p.x, p.y, p.z)).collect();
        // A part has triangles: it encloses a volume.
        let mesh = TriMesh::new(points, part.mesh.triangles.clone())
            .unwrap_or_else(|_| unreachable!("a part encloses a volume, so it has triangles"));
        Rays { mesh, face: part.mesh.face.clone(), far: 2.0 * part.bounds.size().length() + 1.0 }
    }
    /// First face that a ray meets, and how far away, mm.
    pub fn first(&self, from: DVec3, way: DVec3) -> Option<(f64, u32)> {
        let ray = Ray::new(Vector::new(from.x, from.y, from.z), Vector::new(way.x, way.y, way.z));
        // Through the composite: the mesh's own answer names a feature of the triangle, not the triangle.
        let (triangle, t) = CompositeShapeRef(&self.mesh).cast_local_ray(&ray, self.far, false)?;
        Some((t, self.face[triangle as usize]))
    }
    /// Material below a point of the surface with this outward normal: thickness, mm, and the face on the other side.
    pub fn thickness(&self, at: DVec3, normal: DVec3) -> Option<(f64, u32)> {
        self.first(at - normal * OFF, -normal).map(|(t, f)| (t + OFF, f))
    }
    /// Does something cover these points, seen from a direction? The face that covers most of them; none if nearly all are free.
    pub fn covered(&self, points: &[DVec3], way: DVec3) -> Option<u32> {
        let mut hits: Vec<(u32, usize)> = Vec::new();
        for p in points {
            if let Some((_, f)) = self.first(*p, way) {
                match hits.iter_mut().find(|h| h.0 == f) {
                    Some(h) => h.1 += 1,
                    None => hits.push((f, 1)),
                }
            }
        }
        let all: usize = hits.iter().map(|h| h.1).sum();
        // One ray in ten may graze a wall's chord.
        (all * 10 > points.len()).then(|| hits.iter().max_by_key(|h| h.1).map_or(0, |h| h.0))
    }
}
