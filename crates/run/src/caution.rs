//! Cautions in plain words. They are reminders, no authority: the machine's manual, the shop's rules, local regulations and a qualified person decide.

use holding::HoldKind;
use shop::machine::Material;

/// Stands below every list of cautions.
pub const AUTHORITY: &str =
    "Follow your machine's manual, your shop's rules and local regulations; a qualified person decides.";

/// Common practice, no source; by the material's name where the shop has not said it itself.
const BY_NAME: [(&[&str], &str); 7] = [
    (
        &["magnesium", "az31", "az91"],
        "Magnesium: cut dry or with mineral oil, no water-based coolant. Sweep chips often and keep them dry; class D extinguisher or dry sand at hand, no water on burning metal. No blunt or rubbing cutters.",
    ),
    (
        &["titan", "ti-6al", "ti6al"],
        "Titanium: flood, sharp cutters, no rubbing. Fine chips burn: leave none in the machine or the filter; class D extinguisher at hand.",
    ),
    (
        &["beryll", "cube"],
        "Beryllium alloys: dust and fume are poisonous. Wet, with extraction, and only as your regulations allow; no dry sanding, no blowing off.",
    ),
    (
        &["graphite", "carbon", "cfrp", "gfrp", "g10", "fr4", "composite"],
        "Dust of composites and graphite: extraction and a mask. It harms lungs, ways and electronics; never blow it off.",
    ),
    (&["stainless", "1.4301", "1.4571"], "Chips are sharp, tough ribbons: never grab them by hand, use a hook."),
    (&["wood", "plywood", "mdf", "foam"], "Dust: extraction and a mask; no coolant."),
    (
        &["peek", "nylon", "acetal", "pom"],
        "Long strings wind around cutter and spindle: stop before they are taken off.",
    ),
];

/// What to beware of in a material.
pub fn of_material(m: &Material) -> Option<String> {
    if !m.caution.trim().is_empty() {
        return Some(m.caution.trim().into());
    }
    let words = format!("{} {}", m.id, m.name).to_lowercase();
    BY_NAME.iter().find(|(names, _)| names.iter().any(|n| words.contains(n))).map(|(_, c)| (*c).into())
}

/// What to beware of in a way of holding.
pub fn of_hold(kind: Option<HoldKind>) -> Option<&'static str> {
    match kind? {
        HoldKind::Bond => {
            Some("Glued parts can let go: stay out of the line of flight, doors closed. Pull at it by hand first.")
        }
        HoldKind::Chuck => Some("Take the chuck key out before anything turns."),
        HoldKind::Collet => {
            Some("What stands out of the back of a block or spindle whips: support it, or saw it shorter.")
        }
        HoldKind::Straps => Some("Straps and studs stand up: look at every rapid near them in the dry run."),
        HoldKind::Plate => Some("Screws locate nothing: the pins do. Look that no screw stands above the piece."),
        HoldKind::Vise | HoldKind::SoftJaws => None,
    }
}

/// Before any machine starts.
pub const ALWAYS: [&str; 3] = [
    "Eye protection; doors and guards closed while anything turns.",
    "Never grab chips by hand, nothing loose near the spindle; stop it before you reach in.",
    "Overhangs and pieces that come free can fly: stay out of their line.",
];
