//! STL: triangles as text or binary. The format has no unit and no shared points.
//!
//! The trap: many writers begin a *binary* file's header with the word "solid", which by the book announces text. The number of triangles and
//! the file's length decide (a general-purpose crate tried goes by the word).

use crate::MOST_TRIANGLES;
use crate::fit::Soup;
use crate::sniff::{stl_bytes, stl_count};

/// Triangles in the order of the file, and the format in words.
pub fn read(bytes: &[u8]) -> Result<(Soup, &'static str), String> {
    match stl_count(bytes) {
        Some(n) if n > 0 && stl_bytes(n) <= bytes.len() as u64 && bytes.len() as u64 <= stl_bytes(n) + 512 => {
            binary(bytes, n as usize).map(|s| (s, "STL, binary"))
        }
        _ => text(bytes).map(|s| (s, "STL, text")),
    }
}

/// Write a binary STL, lengths in mm. The header does not begin with "solid".
pub fn write(points: &[[f64; 3]], triangles: &[[u32; 3]]) -> Vec<u8> {
    let mut out = b"binary STL, lengths in mm".to_vec();
    out.resize(80, b' ');
    out.extend((triangles.len() as u32).to_le_bytes());
    for t in triangles {
        let [a, b, c] = t.map(|k| points[k as usize]);
        let (u, v) = ([0, 1, 2].map(|k| b[k] - a[k]), [0, 1, 2].map(|k| c[k] - a[k]));
        let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
        let l = (n[0] * n[0] + n[1] * n[1] + n[2] * n[2]).sqrt().max(1e-300);
        for x in n.map(|x| x / l).into_iter().chain(a).chain(b).chain(c) {
            out.extend((x as f32).to_le_bytes());
        }
        out.extend([0, 0]);
    }
    out
}

fn too_many() -> String {
    format!("the mesh has more than {MOST_TRIANGLES} triangles; export it coarser, or as STEP")
}

fn binary(bytes: &[u8], n: usize) -> Result<Soup, String> {
    if n > MOST_TRIANGLES {
        return Err(too_many());
    }
    let number = |at: usize| {
        let b: [u8; 4] = bytes[at..at + 4].try_into().unwrap_or_default();
        f64::from(f32::from_le_bytes(b))
    };
    let mut out = Vec::with_capacity(n);
    for t in 0..n {
        let at = 84 + 50 * t + 12;
        let corner = |k: usize| [number(at + 12 * k), number(at + 12 * k + 4), number(at + 12 * k + 8)];
        out.push([corner(0), corner(1), corner(2)]);
    }
    Ok(out)
}

fn text(bytes: &[u8]) -> Result<Soup, String> {
    let text = String::from_utf8_lossy(bytes);
    let mut out = Vec::new();
    let mut corners: Vec<[f64; 3]> = Vec::new();
    let mut ended = false;
    for (k, line) in text.lines().enumerate() {
        let mut words = line.split_ascii_whitespace();
        let first = words.next().unwrap_or("").to_ascii_lowercase();
        match first.as_str() {
            "vertex" => {
                let mut p = [0.0; 3];
                for v in &mut p {
                    *v = words.next().and_then(|w| w.parse().ok()).ok_or_else(|| {
                        format!("line {} of the STL file is no vertex of three numbers; export the mesh again", k + 1)
                    })?;
                }
                corners.push(p);
            }
            "endfacet" => {
                let [a, b, c] = corners[..] else {
                    return Err(format!(
                        "the facet that ends in line {} of the STL file has {} corners instead of 3; export the mesh again",
                        k + 1,
                        corners.len()
                    ));
                };
                out.push([a, b, c]);
                corners.clear();
                if out.len() > MOST_TRIANGLES {
                    return Err(too_many());
                }
            }
            "endsolid" => ended = true,
            "solid" => ended = false,
            "" | "facet" | "outer" | "endloop" => {}
            other => {
                let word: String = other.chars().take(20).filter(|c| !c.is_control()).collect();
                return Err(format!(
                    "line {} of the STL file begins with '{word}', which is no word of the format; export the mesh again",
                    k + 1
                ));
            }
        }
    }
    if out.is_empty() {
        return Err("the STL file holds no triangle; export the mesh again".into());
    }
    if !ended {
        return Err("the STL file is cut off (endsolid is missing); copy or export it again".into());
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_faults_name_their_line() {
        let t = "solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0\n";
        assert!(read(t.as_bytes()).unwrap_err().contains("line 5"));
        let two = "solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nendloop\nendfacet\nendsolid";
        assert!(read(two.as_bytes()).unwrap_err().contains("2 corners"));
        let cut = "solid x\nfacet\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n";
        assert!(read(cut.as_bytes()).unwrap_err().contains("cut off"));
        assert_eq!(read(format!("{cut}endsolid x").as_bytes()).unwrap().0.len(), 1);
    }

    #[test]
    fn a_binary_file_that_says_solid_is_binary() {
        let mut b = b"solid made by a careless writer".to_vec();
        b.resize(80, 0);
        b.extend(1u32.to_le_bytes());
        for v in [0.0f32, 0.0, 1.0, 0.0, 0.0, 0.0, 2.5, 0.0, 0.0, 0.0, 1.0, 0.0] {
            b.extend(v.to_le_bytes());
        }
        b.extend([0, 0]);
        let (s, f) = read(&b).unwrap();
        assert_eq!((s[0][1], f), ([2.5, 0.0, 0.0], "STL, binary"));
    }
}
