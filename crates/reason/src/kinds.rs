//! The catalogue of finding kinds: what each means, and whether it names material that stays on the part.

/// A kind of finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Kind {
    /// As findings carry it.
    pub name: &'static str,
    /// In a line.
    pub meaning: &'static str,
    /// Does it name material that stays on the part?
    pub leaves: bool,
}

const fn kind(name: &'static str, meaning: &'static str) -> Kind {
    Kind { name, meaning, leaves: false }
}

const fn left(name: &'static str, meaning: &'static str) -> Kind {
    Kind { name, meaning, leaves: true }
}

/// All kinds, by name.
pub const KINDS: &[Kind] = &[
    kind("answer_lost", "An answer about something that the part has no more"),
    kind("batch", "The piece is wanted more than once"),
    left("beside", "A solid that stays keeps cutters away"),
    kind("beside_in_hold", "A solid that stays stands in what holds the part"),
    kind("casting", "The stock is uneven"),
    left("chamfer", "A chamfer has no room for its cutter"),
    left("chamfer_end", "A chamfer ends where a cone leaves a little"),
    kind("clamp_gently", "The vise must not be closed with all its force"),
    left("corner", "An inside corner is sharper than any cutter that reaches it"),
    kind("cutter_in_keep_out", "A cutter enters what holds the part"),
    kind("cutting_data", "A number of the cut is not as wished"),
    kind("decision_lost", "A decision about an operation that the plan has no more"),
    left("drill_point", "The point of a drill leaves its cone"),
    kind("dwell", "The program waits while the spindle stands"),
    kind("edited_unreadable", "An edited program cannot be followed"),
    kind("engagement", "More of the cutter is in the cut than is promised"),
    kind("feed", "A feed that the machine cannot run"),
    kind("gouge", "The part is cut too deep"),
    kind("holder_in_keep_out", "A holder enters what holds the part"),
    kind("holder_in_stock", "A holder rubs in the stock"),
    kind("holding_force", "The grip holds too little"),
    left("hole_without_tool", "A hole for which the crib has no tool"),
    left("leftover", "Material is left that a side reaches"),
    kind("loose_piece", "A piece comes loose"),
    kind("mark_doubt", "A mark does not fit the part"),
    kind("may_be_thread", "A hole that is likely a thread"),
    kind("model_doubt", "The model is doubtful"),
    left("needs_other_side", "Material that another side would reach"),
    kind("no_coolant", "A cut without coolant that wants it"),
    kind("no_end", "The program has no end"),
    kind("no_grip", "A setup cannot be held"),
    kind("no_hat", "The stock leaves nothing to hold the first side by"),
    kind("no_length_offset", "A cut without the tool's length offset"),
    kind("no_promises", "The program promises nothing"),
    kind("no_spot", "A hole is drilled without a spot"),
    kind("no_tool", "A feed with no tool called"),
    left("not_makeable", "Material that no straight cutter reaches"),
    left("not_planned", "What a setup that is not planned would cut"),
    kind("open_question", "A grave question is open"),
    kind("opening", "The vise does not open so far"),
    kind("order_broken", "An operation stands before one that it needs"),
    kind("other_tool", "Another cutter is called than is promised"),
    kind("overload", "More is asked of the spindle than it has"),
    kind("owner_asked", "The drawing's owner was asked"),
    kind("plunge", "A cutter without a cutting centre is fed straight down"),
    kind("posted_missing", "The text that the promises were made for is missing"),
    kind("promise_lost", "Lines that promise something are gone"),
    kind("ramp", "A cutter goes down more steeply than it can"),
    kind("rapid_in_stock", "A rapid runs through stock"),
    kind("rehearsal", "This is a rehearsal"),
    kind("result_box", "An earlier job's result counts as its box"),
    kind("rpm", "A speed that the spindle cannot run"),
    kind("shank_in_keep_out", "A shank enters what holds the part"),
    kind("shank_in_stock", "A shank rubs in the stock"),
    kind("sliver", "A sliver would stay on the joint of the stock"),
    kind("small_leftover", "Hundredths are left"),
    kind("spindle_off", "A cut with the spindle off"),
    kind("spindle_reversed", "A cut with the spindle turning backwards"),
    kind("stock_material", "The piece is of another material"),
    kind("stock_not_planned", "A piece of stock that cannot be planned yet"),
    kind("stored_as_splines", "Faces are stored as splines"),
    kind("tall", "Much stands above little grip"),
    kind("thin_skin", "A skin over a hollow is faced off"),
    kind("tight_helix", "A cutter enters by a narrow helix"),
    left("to_ream", "A reamer follows"),
    left("to_tap", "A tap follows"),
    left("too_deep", "A wall deeper than any cutter reaches"),
    kind("too_long", "The block is longer than the machine's travel"),
    kind("tooth_load", "A chip thicker than usual"),
    kind("travel", "An axis leaves its travel"),
    left("uncut_face", "A slanted or free face is left rough"),
    kind("unknown_tool", "A tool that the crib does not have"),
    kind("wrong_length_offset", "A cut with another tool's length offset"),
];

/// The catalogue's entry of a kind.
pub fn kind_of(name: &str) -> Option<&'static Kind> {
    KINDS.binary_search_by(|k| k.name.cmp(name)).ok().map(|i| &KINDS[i])
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;
    use std::path::Path;

    #[test]
    fn the_catalogue_is_sorted_and_each_kind_has_its_meaning() {
        assert!(KINDS.windows(2).all(|w| w[0].name < w[1].name));
        assert!(KINDS.iter().all(|k| k.meaning.len() > 8 && kind_of(k.name) == Some(k)));
    }

    fn sources(dir: &Path, out: &mut Vec<String>) {
        for e in std::fs::read_dir(dir).unwrap().flatten() {
            let p = e.path();
            if p.is_dir() {
                sources(&p, out);
            } else if p.extension().is_some_and(|x| x == "rs") {
                let text = std::fs::read_to_string(&p).unwrap();
                out.push(text.split("#[cfg(test)]").next().unwrap_or_default().to_string());
            }
        }
    }

    /// Every kind that some source makes is in the catalogue: the first words in quotes after `Finding::new(` and `gather.add(`.
    #[test]
    fn every_finding_that_is_made_is_in_the_catalogue() {
        let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
        let mut made = BTreeSet::new();
        for e in std::fs::read_dir(crates).unwrap().flatten() {
            let src = e.path().join("src");
            let mut texts = Vec::new();
            if src.is_dir() {
                sources(&src, &mut texts);
            }
            for text in texts {
                for mark in ["Finding::new(", "gather.add("] {
                    for after in text.split(mark).skip(1) {
                        let head = after.trim_start().trim_start_matches('(').trim_start();
                        if let Some(word) = head.strip_prefix('"').and_then(|r| r.split('"').next()) {
                            made.insert(word.to_string());
                        }
                    }
                }
            }
        }
        assert!(made.len() > 40, "{made:?}");
        let unknown: Vec<&String> = made.iter().filter(|k| kind_of(k).is_none()).collect();
        assert!(unknown.is_empty(), "not in the catalogue: {unknown:?}");
    }
}
