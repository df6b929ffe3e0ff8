//! A small shaded picture of a part, by a z-buffer: for the cards of the bench.

use geom::{DVec3, TriMesh};

/// Width of the picture, pixels; the height is three quarters of it.
pub const FACETS_PX: usize = 320;

/// A PNG with a transparent ground, seen from the front, the right and above.
pub fn picture(mesh: &TriMesh) -> Vec<u8> {
    let (w, h) = (FACETS_PX, FACETS_PX * 3 / 4);
    // Isometric: x to the lower right, y to the upper right, z up.
    let view = DVec3::new(0.55, -0.7, 0.46).normalize();
    let right = DVec3::Z.cross(view).normalize();
    let up = view.cross(right);
    let (mut lo, mut hi) = ([f64::INFINITY; 2], [f64::NEG_INFINITY; 2]);
    for p in &mesh.points {
        for (k, v) in [p.dot(right), p.dot(up)].into_iter().enumerate() {
            lo[k] = lo[k].min(v);
            hi[k] = hi[k].max(v);
        }
    }
    let scale = ((w as f64 - 16.0) / (hi[0] - lo[0]).max(1e-9)).min((h as f64 - 16.0) / (hi[1] - lo[1]).max(1e-9));
    let place = |p: DVec3| {
        DVec3::new(
            w as f64 / 2.0 + (p.dot(right) - (lo[0] + hi[0]) / 2.0) * scale,
            h as f64 / 2.0 - (p.dot(up) - (lo[1] + hi[1]) / 2.0) * scale,
            p.dot(view),
        )
    };
    let mut depth = vec![f64::NEG_INFINITY; w * h];
    let mut face = vec![u32::MAX; w * h];
    let mut shade = vec![0.0; w * h];
    let light = DVec3::new(-0.35, -0.5, 0.8).normalize();
    for t in 0..mesh.triangles.len() {
        let n = mesh.normal(t).normalize_or_zero();
        if n.dot(view) <= 0.0 {
            continue;
        }
        let [a, b, c] = mesh.corners(t).map(place);
        let area = (b - a).truncate().perp_dot((c - a).truncate());
        if area.abs() < 1e-12 {
            continue;
        }
        let min = a.min(b).min(c).floor().max(DVec3::ZERO);
        let max = a.max(b).max(c).ceil();
        for y in min.y as usize..(max.y as usize + 1).min(h) {
            for x in min.x as usize..(max.x as usize + 1).min(w) {
                let p = DVec3::new(x as f64 + 0.5, y as f64 + 0.5, 0.0);
                let part = |u: DVec3, v: DVec3| (v - u).truncate().perp_dot((p - u).truncate()) / area;
                let (wa, wb, wc) = (part(b, c), part(c, a), part(a, b));
                if wa < 0.0 || wb < 0.0 || wc < 0.0 {
                    continue;
                }
                let z = wa * a.z + wb * b.z + wc * c.z;
                let k = y * w + x;
                if z > depth[k] {
                    depth[k] = z;
                    face[k] = mesh.face[t];
                    shade[k] = 0.58 + 0.42 * n.dot(light).max(0.0);
                }
            }
        }
    }
    let mut pixels = vec![0_u8; w * h * 4];
    for y in 0..h {
        for x in 0..w {
            let k = y * w + x;
            let edge = (x + 1 < w && face[k + 1] != face[k]) || (y + 1 < h && face[k + w] != face[k]);
            let px = &mut pixels[k * 4..k * 4 + 4];
            if edge {
                px.copy_from_slice(&[70, 74, 82, 255]);
            } else if face[k] != u32::MAX {
                for (c, base) in [214.0, 219.0, 226.0].into_iter().enumerate() {
                    px[c] = (base * shade[k]) as u8;
                }
                px[3] = 255;
            }
        }
    }
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, w as u32, h as u32);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    if let Ok(mut writer) = encoder.write_header() {
        // Writing into memory does not fail; an empty picture would be shown as none.
        let _ = writer.write_image_data(&pixels);
    }
    out
}
