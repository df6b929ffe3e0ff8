//! Meshes and histories as bytes, little endian, for the stage.

use geom::TriMesh;
use proof::History;

fn put<T: Copy, const N: usize>(out: &mut Vec<u8>, items: impl Iterator<Item = T>, bytes: impl Fn(T) -> [u8; N]) {
    for i in items {
        out.extend(bytes(i));
    }
}

/// u32 points, u32 triangles; f32 x, y, z of each point; u32 corners of each triangle; u32 face of each triangle.
pub fn mesh_bytes(m: &TriMesh) -> Vec<u8> {
    let mut out = Vec::with_capacity(8 + m.points.len() * 12 + m.triangles.len() * 16);
    put(&mut out, [m.points.len() as u32, m.triangles.len() as u32].into_iter(), u32::to_le_bytes);
    put(&mut out, m.points.iter().flat_map(|p| p.to_array()).map(|v| v as f32), f32::to_le_bytes);
    put(&mut out, m.triangles.iter().flatten().copied(), u32::to_le_bytes);
    put(&mut out, m.face.iter().copied(), u32::to_le_bytes);
    out
}

/// u32 columns along x and y, u32 falls; f32 origin x, y, pitch; f32 undersides; f32 upper ends; f32 times (s), u32 columns and f32 new upper
/// ends of the falls.
pub fn history_bytes(h: &History) -> Vec<u8> {
    let mut out = Vec::with_capacity(24 + h.top.len() * 8 + h.falls.len() * 12);
    put(&mut out, [h.count[0] as u32, h.count[1] as u32, h.falls.len() as u32].into_iter(), u32::to_le_bytes);
    put(&mut out, [h.origin[0], h.origin[1], h.pitch].into_iter().map(|v| v as f32), f32::to_le_bytes);
    put(&mut out, h.under.iter().copied(), f32::to_le_bytes);
    put(&mut out, h.top.iter().copied(), f32::to_le_bytes);
    put(&mut out, h.falls.iter().map(|f| f.at), f32::to_le_bytes);
    put(&mut out, h.falls.iter().map(|f| f.column), u32::to_le_bytes);
    put(&mut out, h.falls.iter().map(|f| f.top), f32::to_le_bytes);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proof::Fall;

    #[test]
    fn a_history_has_the_length_that_its_head_says() {
        let h = History {
            origin: [1.0, 2.0],
            pitch: 0.5,
            count: [2, 3],
            under: vec![0.0; 6],
            top: vec![5.0; 6],
            falls: vec![Fall { at: 1.5, column: 4, top: 2.0 }],
        };
        let b = history_bytes(&h);
        assert_eq!(b.len(), 24 + 48 + 12);
        assert_eq!(f32::from_le_bytes(b[20..24].try_into().unwrap()), 0.5);
        assert_eq!(f32::from_le_bytes(b[b.len() - 4..].try_into().unwrap()), 2.0);
        assert_eq!(h.end()[4], 2.0);
    }
}
