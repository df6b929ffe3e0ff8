//! How much is left on a face, by how the face was made and what becomes of it.

use crate::piece::Skin;
use reason::{Source, Sources, len};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What becomes of a face of the blank.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Role {
    /// Up on the first side: faced.
    Top,
    /// On the parallels on the first side.
    Bottom,
    /// Between the jaws on the first side.
    Gripped,
    /// At the ends of the jaws.
    End,
    /// Round a turned part.
    Around,
    /// The end of a turned part that is faced.
    Faced,
    /// The end of a turned part that is held and parted off.
    Held,
}

/// What a face needs over the finished part.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Allowance {
    /// At least, mm.
    pub least: f64,
    /// Of it goes when the face is squared first, mm.
    pub squared: f64,
    /// Why.
    pub why: String,
    /// Where that comes from.
    pub source: Sources,
}

/// One skim of a sawn face, mm (0.1 in: common practice, no source).
pub const SKIM: f64 = 2.54;
/// Least at a side, mm.
pub const SIDE: f64 = 1.0;
/// Least at a side whose sawn face is squared first, mm.
pub const SAWN_SIDE: f64 = 3.0;
/// Least on top, mm.
pub const TOP: f64 = 0.5;
/// A saw wanders by this, mm.
pub const SAW: f64 = 1.0;
/// The lathe's chuck or collet holds this, mm.
pub const CHUCK: f64 = 15.0;
/// Width of the parting tool, mm.
pub const PARTING: f64 = 3.0;
/// Both sizes are the same within this when a bar's own face stays on the part, mm.
pub const SERVES: f64 = 0.05;

/// The rule. `hat` is what the grip needs below the part (a vise, or the collet that a bar is in), mm; `over` is a casting's allowance (least, most).
pub fn allowance(skin: Skin, role: Role, hat: f64, over: Option<(f64, f64)>) -> Allowance {
    let make = |least: f64, squared: f64, why: &str| Allowance {
        least,
        squared,
        why: why.into(),
        source: Source::practice("").into(),
    };
    if let Some((least, most)) = over {
        return make(
            least,
            0.0,
            &format!(
                "cast {least} to {most} mm over; the first pass starts above the highest face and steps 0.25 mm, cutting air on the low ones",
                least = len(least),
                most = len(most)
            ),
        );
    }
    match role {
        Role::Gripped if skin.uneven() => {
            make(SAWN_SIDE, SKIM, "a sawn face in the jaws is squared first: a skim of 0.1 in, and a rest to cut")
        }
        Role::Gripped | Role::Around => make(SIDE, 0.0, "enough to clean a face that is flat"),
        Role::End if skin.uneven() => make(SIDE + SAW, 0.0, "enough to clean, and what a saw wanders"),
        Role::End => make(SIDE, 0.0, "enough to clean"),
        Role::Top if skin.uneven() => make(TOP + SAW, 0.0, "enough to clean, and what a saw wanders"),
        Role::Top => make(TOP, 0.0, "enough to clean"),
        Role::Bottom if skin.uneven() => make(
            hat + SKIM,
            SKIM,
            "the grip's height and 2 mm over the jaws; a sawn face is skimmed by 0.1 in before anything rests on it",
        ),
        Role::Bottom => make(hat, 0.0, "the grip's height and 2 mm over the jaws"),
        Role::Faced => make(SIDE, 0.0, "enough to face"),
        Role::Held if hat > 0.0 => make(hat, 0.0, "in the collet, before it for the saw, and a little behind it"),
        Role::Held => make(CHUCK + PARTING, 0.0, "15 mm in the chuck and 3 mm for the parting tool"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sawn_faces_in_the_jaws_keep_three_millimetres() {
        let a = allowance(Skin::Sawn, Role::Gripped, 8.0, None);
        assert!(a.least >= 3.0 && a.squared < a.least && matches!(a.source.0[0], Source::Practice { .. }));
        assert_eq!(allowance(Skin::Drawn, Role::Gripped, 8.0, None).least, 1.0);
        assert_eq!(allowance(Skin::Rolled, Role::Top, 8.0, None).least, 0.5);
        assert_eq!(allowance(Skin::Rolled, Role::Bottom, 8.0, None).least, 8.0);
        assert_eq!([0.0, 39.0].map(|h| allowance(Skin::Sawn, Role::Held, h, None).least), [18.0, 39.0]);
        assert!(allowance(Skin::Cast, Role::Top, 8.0, Some((2.0, 4.0))).why.contains("0.25"));
    }
}
