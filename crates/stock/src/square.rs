//! Squaring a sawn block before the first side: which faces, in which order, how wide a pass.

use crate::lay::Wanted;
use crate::rules::{Allowance, Role, SKIM};
use reason::Sure;
use reason::len;
use serde::{Deserialize, Serialize};
use shop::tool::trim;
use ts_rs::TS;

/// One face to skim.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Squaring {
    /// Direction of the part that the face looks to: "−Z".
    pub face: String,
    /// What it stands on, and what it is gripped by.
    pub how: String,
    /// Taken off, mm.
    pub skim: f64,
    /// Width of the face across the passes, mm.
    pub width: f64,
    /// Passes side by side; one when the face mill covers it.
    pub passes: u32,
    /// Opening of the vise, mm.
    pub opening: f64,
    /// min.
    pub minutes: f64,
}

/// Turning, clamping, deburring, min a face (common practice, no source).
const HANDLING: f64 = 3.0;
/// Share of the face mill's diameter that a pass covers with its edges beside the block (common practice, no source).
const COVER: f64 = 0.9;

/// Squaring of the faces that are gripped or rested on and too uneven for it. First the one that the block rests on, against the fixed jaw
/// with a round bar at the moving one; then the sides, each with the face just cut against the fixed jaw; so each is square to the first.
/// (Order: common practice, no source.)
pub fn squaring(w: &Wanted, blank: &[f64; 3], wants: &[[Allowance; 2]; 3], roles: &[[Role; 2]; 3]) -> Vec<Squaring> {
    let mut faces: Vec<(usize, usize, Role)> = Vec::new();
    for k in 0..3 {
        for e in 0..2 {
            if wants[k][e].squared > 0.0 {
                faces.push((k, e, roles[k][e]));
            }
        }
    }
    faces.sort_by_key(|f| (f.2 != Role::Bottom, f.0, f.1));
    let mut size = *blank;
    let mut cut: Vec<String> = Vec::new();
    faces
        .iter()
        .map(|&(k, e, _)| {
            let face = format!("{}{}", if e == 0 { '−' } else { '+' }, ['X', 'Y', 'Z'][k]);
            let (a, b) = ((k + 1) % 3, (k + 2) % 3);
            // Passes run along the longer side of the face; the shorter one is their width and lies across the jaws.
            let (long, wide) = if size[a] >= size[b] { (a, b) } else { (b, a) };
            let passes = (size[wide] / (w.face_mill * COVER)).ceil().at_least(1.0);
            let how = match cut.len() {
                0 => "up, gripped by two sawn faces with a round bar between block and moving jaw".to_string(),
                _ => format!("up, {} against the fixed jaw, a round bar at the moving jaw", cut[0]),
            };
            let opening = size[wide];
            size[k] -= SKIM;
            cut.push(face.clone());
            let feed = w.face_mill * 8.0;
            Squaring {
                face,
                how,
                skim: SKIM,
                width: size[wide],
                passes: passes as u32,
                opening,
                minutes: HANDLING + passes * (size[long] + w.face_mill) / feed.at_least(1.0),
            }
        })
        .collect()
}

impl Squaring {
    /// In words.
    pub fn words(&self) -> String {
        format!(
            "{} {}; skim {} mm in {} pass{}",
            self.face,
            self.how,
            len(trim(self.skim)),
            self.passes,
            if self.passes == 1 { "" } else { "es" }
        )
    }
}
