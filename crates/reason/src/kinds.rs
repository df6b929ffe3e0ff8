//! The catalogue of finding kinds: what each means, how grave it can be, whether it names material that stays on the part.

use crate::Severity;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A kind of finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// An answer about something that the part has no more.
    AnswerLost,
    /// The piece is wanted more than once.
    Batch,
    /// A solid that stays keeps cutters away.
    Beside,
    /// A solid that stays stands in what holds the part.
    BesideInHold,
    /// The stock is uneven.
    Casting,
    /// A chamfer has no room for its cutter.
    Chamfer,
    /// A chamfer ends where a cone leaves a little.
    ChamferEnd,
    /// The vise must not be closed with all its force.
    ClampGently,
    /// An inside corner is sharper than any cutter that reaches it.
    Corner,
    /// A cutter enters what holds the part.
    CutterInKeepOut,
    /// A number of the cut is not as wished.
    CuttingData,
    /// A decision about an operation that the plan has no more.
    DecisionLost,
    /// The point of a drill leaves its cone.
    DrillPoint,
    /// The program waits while the spindle stands.
    Dwell,
    /// An edited program cannot be followed.
    EditedUnreadable,
    /// More of the cutter is in the cut than is promised.
    Engagement,
    /// A feed that the machine cannot run.
    Feed,
    /// The part is cut too deep.
    Gouge,
    /// A holder enters what holds the part.
    HolderInKeepOut,
    /// A holder rubs in the stock.
    HolderInStock,
    /// The grip holds too little.
    HoldingForce,
    /// A hole for which the crib has no tool.
    HoleWithoutTool,
    /// Material is left that a side reaches.
    Leftover,
    /// A piece comes loose.
    LoosePiece,
    /// A mark does not fit the part.
    MarkDoubt,
    /// A hole that is likely a thread.
    MayBeThread,
    /// The model is doubtful.
    ModelDoubt,
    /// Material that another side would reach.
    NeedsOtherSide,
    /// A cut without coolant that wants it.
    NoCoolant,
    /// The program has no end.
    NoEnd,
    /// A setup cannot be held.
    NoGrip,
    /// The stock leaves nothing to hold the first side by.
    NoHat,
    /// A cut without the tool's length offset.
    NoLengthOffset,
    /// The program promises nothing.
    NoPromises,
    /// A hole is drilled without a spot.
    NoSpot,
    /// A feed with no tool called.
    NoTool,
    /// Material that no straight cutter reaches.
    NotMakeable,
    /// What a setup that is not planned would cut.
    NotPlanned,
    /// A grave question is open.
    OpenQuestion,
    /// The vise does not open so far.
    Opening,
    /// An operation stands before one that it needs.
    OrderBroken,
    /// Another cutter is called than is promised.
    OtherTool,
    /// More is asked of the spindle than it has.
    Overload,
    /// The drawing's owner was asked.
    OwnerAsked,
    /// A cutter without a cutting centre is fed straight down.
    Plunge,
    /// The text that the promises were made for is missing.
    PostedMissing,
    /// Lines that promise something are gone.
    PromiseLost,
    /// A cutter goes down more steeply than it can.
    Ramp,
    /// A rapid runs through stock.
    RapidInStock,
    /// This is a rehearsal.
    Rehearsal,
    /// An earlier job's result counts as its box.
    ResultBox,
    /// A speed that the spindle cannot run.
    Rpm,
    /// A shank enters what holds the part.
    ShankInKeepOut,
    /// A shank rubs in the stock.
    ShankInStock,
    /// A sliver would stay on the joint of the stock.
    Sliver,
    /// Hundredths are left.
    SmallLeftover,
    /// A cut with the spindle off.
    SpindleOff,
    /// A cut with the spindle turning backwards.
    SpindleReversed,
    /// The piece is of another material.
    StockMaterial,
    /// A piece of stock that cannot be planned yet.
    StockNotPlanned,
    /// Faces are stored as splines.
    StoredAsSplines,
    /// Much stands above little grip.
    Tall,
    /// A skin over a hollow is faced off.
    ThinSkin,
    /// A cutter enters by a narrow helix.
    TightHelix,
    /// A reamer follows.
    ToReam,
    /// A tap follows.
    ToTap,
    /// A wall deeper than any cutter reaches.
    TooDeep,
    /// The block is longer than the machine's travel.
    TooLong,
    /// A chip thicker than usual.
    ToothLoad,
    /// An axis leaves its travel.
    Travel,
    /// A slanted or free face is left rough.
    UncutFace,
    /// A tool that the crib does not have.
    UnknownTool,
    /// A cut with another tool's length offset.
    WrongLengthOffset,
    /// A part cannot lie so in this piece.
    StockAskew,
    /// The piece does not fit the vise or the machine.
    StockLarge,
    /// The piece leaves nothing to hold by.
    StockNoHat,
    /// The piece is too small.
    StockSmall,
    /// The piece leaves little to clean.
    StockTight,
    /// A kind that this build does not know: from a file of another one.
    #[serde(other)]
    Unknown,
}

/// All of them but [`Kind::Unknown`].
pub const KINDS: &[Kind] = &[
    Kind::AnswerLost,
    Kind::Batch,
    Kind::Beside,
    Kind::BesideInHold,
    Kind::Casting,
    Kind::Chamfer,
    Kind::ChamferEnd,
    Kind::ClampGently,
    Kind::Corner,
    Kind::CutterInKeepOut,
    Kind::CuttingData,
    Kind::DecisionLost,
    Kind::DrillPoint,
    Kind::Dwell,
    Kind::EditedUnreadable,
    Kind::Engagement,
    Kind::Feed,
    Kind::Gouge,
    Kind::HolderInKeepOut,
    Kind::HolderInStock,
    Kind::HoldingForce,
    Kind::HoleWithoutTool,
    Kind::Leftover,
    Kind::LoosePiece,
    Kind::MarkDoubt,
    Kind::MayBeThread,
    Kind::ModelDoubt,
    Kind::NeedsOtherSide,
    Kind::NoCoolant,
    Kind::NoEnd,
    Kind::NoGrip,
    Kind::NoHat,
    Kind::NoLengthOffset,
    Kind::NoPromises,
    Kind::NoSpot,
    Kind::NoTool,
    Kind::NotMakeable,
    Kind::NotPlanned,
    Kind::OpenQuestion,
    Kind::Opening,
    Kind::OrderBroken,
    Kind::OtherTool,
    Kind::Overload,
    Kind::OwnerAsked,
    Kind::Plunge,
    Kind::PostedMissing,
    Kind::PromiseLost,
    Kind::Ramp,
    Kind::RapidInStock,
    Kind::Rehearsal,
    Kind::ResultBox,
    Kind::Rpm,
    Kind::ShankInKeepOut,
    Kind::ShankInStock,
    Kind::Sliver,
    Kind::SmallLeftover,
    Kind::SpindleOff,
    Kind::SpindleReversed,
    Kind::StockMaterial,
    Kind::StockNotPlanned,
    Kind::StoredAsSplines,
    Kind::Tall,
    Kind::ThinSkin,
    Kind::TightHelix,
    Kind::ToReam,
    Kind::ToTap,
    Kind::TooDeep,
    Kind::TooLong,
    Kind::ToothLoad,
    Kind::Travel,
    Kind::UncutFace,
    Kind::UnknownTool,
    Kind::WrongLengthOffset,
    Kind::StockAskew,
    Kind::StockLarge,
    Kind::StockNoHat,
    Kind::StockSmall,
    Kind::StockTight,
];

impl Kind {
    /// As findings carry it.
    pub fn name(self) -> &'static str {
        match self {
            Kind::AnswerLost => "answer_lost",
            Kind::Batch => "batch",
            Kind::Beside => "beside",
            Kind::BesideInHold => "beside_in_hold",
            Kind::Casting => "casting",
            Kind::Chamfer => "chamfer",
            Kind::ChamferEnd => "chamfer_end",
            Kind::ClampGently => "clamp_gently",
            Kind::Corner => "corner",
            Kind::CutterInKeepOut => "cutter_in_keep_out",
            Kind::CuttingData => "cutting_data",
            Kind::DecisionLost => "decision_lost",
            Kind::DrillPoint => "drill_point",
            Kind::Dwell => "dwell",
            Kind::EditedUnreadable => "edited_unreadable",
            Kind::Engagement => "engagement",
            Kind::Feed => "feed",
            Kind::Gouge => "gouge",
            Kind::HolderInKeepOut => "holder_in_keep_out",
            Kind::HolderInStock => "holder_in_stock",
            Kind::HoldingForce => "holding_force",
            Kind::HoleWithoutTool => "hole_without_tool",
            Kind::Leftover => "leftover",
            Kind::LoosePiece => "loose_piece",
            Kind::MarkDoubt => "mark_doubt",
            Kind::MayBeThread => "may_be_thread",
            Kind::ModelDoubt => "model_doubt",
            Kind::NeedsOtherSide => "needs_other_side",
            Kind::NoCoolant => "no_coolant",
            Kind::NoEnd => "no_end",
            Kind::NoGrip => "no_grip",
            Kind::NoHat => "no_hat",
            Kind::NoLengthOffset => "no_length_offset",
            Kind::NoPromises => "no_promises",
            Kind::NoSpot => "no_spot",
            Kind::NoTool => "no_tool",
            Kind::NotMakeable => "not_makeable",
            Kind::NotPlanned => "not_planned",
            Kind::OpenQuestion => "open_question",
            Kind::Opening => "opening",
            Kind::OrderBroken => "order_broken",
            Kind::OtherTool => "other_tool",
            Kind::Overload => "overload",
            Kind::OwnerAsked => "owner_asked",
            Kind::Plunge => "plunge",
            Kind::PostedMissing => "posted_missing",
            Kind::PromiseLost => "promise_lost",
            Kind::Ramp => "ramp",
            Kind::RapidInStock => "rapid_in_stock",
            Kind::Rehearsal => "rehearsal",
            Kind::ResultBox => "result_box",
            Kind::Rpm => "rpm",
            Kind::ShankInKeepOut => "shank_in_keep_out",
            Kind::ShankInStock => "shank_in_stock",
            Kind::Sliver => "sliver",
            Kind::SmallLeftover => "small_leftover",
            Kind::SpindleOff => "spindle_off",
            Kind::SpindleReversed => "spindle_reversed",
            Kind::StockMaterial => "stock_material",
            Kind::StockNotPlanned => "stock_not_planned",
            Kind::StoredAsSplines => "stored_as_splines",
            Kind::Tall => "tall",
            Kind::ThinSkin => "thin_skin",
            Kind::TightHelix => "tight_helix",
            Kind::ToReam => "to_ream",
            Kind::ToTap => "to_tap",
            Kind::TooDeep => "too_deep",
            Kind::TooLong => "too_long",
            Kind::ToothLoad => "tooth_load",
            Kind::Travel => "travel",
            Kind::UncutFace => "uncut_face",
            Kind::UnknownTool => "unknown_tool",
            Kind::WrongLengthOffset => "wrong_length_offset",
            Kind::StockAskew => "stock_askew",
            Kind::StockLarge => "stock_large",
            Kind::StockNoHat => "stock_no_hat",
            Kind::StockSmall => "stock_small",
            Kind::StockTight => "stock_tight",
            Kind::Unknown => "unknown",
        }
    }
    /// In a line.
    pub fn meaning(self) -> &'static str {
        match self {
            Kind::AnswerLost => "An answer about something that the part has no more",
            Kind::Batch => "The piece is wanted more than once",
            Kind::Beside => "A solid that stays keeps cutters away",
            Kind::BesideInHold => "A solid that stays stands in what holds the part",
            Kind::Casting => "The stock is uneven",
            Kind::Chamfer => "A chamfer has no room for its cutter",
            Kind::ChamferEnd => "A chamfer ends where a cone leaves a little",
            Kind::ClampGently => "The vise must not be closed with all its force",
            Kind::Corner => "An inside corner is sharper than any cutter that reaches it",
            Kind::CutterInKeepOut => "A cutter enters what holds the part",
            Kind::CuttingData => "A number of the cut is not as wished",
            Kind::DecisionLost => "A decision about an operation that the plan has no more",
            Kind::DrillPoint => "The point of a drill leaves its cone",
            Kind::Dwell => "The program waits while the spindle stands",
            Kind::EditedUnreadable => "An edited program cannot be followed",
            Kind::Engagement => "More of the cutter is in the cut than is promised",
            Kind::Feed => "A feed that the machine cannot run",
            Kind::Gouge => "The part is cut too deep",
            Kind::HolderInKeepOut => "A holder enters what holds the part",
            Kind::HolderInStock => "A holder rubs in the stock",
            Kind::HoldingForce => "The grip holds too little",
            Kind::HoleWithoutTool => "A hole for which the crib has no tool",
            Kind::Leftover => "Material is left that a side reaches",
            Kind::LoosePiece => "A piece comes loose",
            Kind::MarkDoubt => "A mark does not fit the part",
            Kind::MayBeThread => "A hole that is likely a thread",
            Kind::ModelDoubt => "The model is doubtful",
            Kind::NeedsOtherSide => "Material that another side would reach",
            Kind::NoCoolant => "A cut without coolant that wants it",
            Kind::NoEnd => "The program has no end",
            Kind::NoGrip => "A setup cannot be held",
            Kind::NoHat => "The stock leaves nothing to hold the first side by",
            Kind::NoLengthOffset => "A cut without the tool's length offset",
            Kind::NoPromises => "The program promises nothing",
            Kind::NoSpot => "A hole is drilled without a spot",
            Kind::NoTool => "A feed with no tool called",
            Kind::NotMakeable => "Material that no straight cutter reaches",
            Kind::NotPlanned => "What a setup that is not planned would cut",
            Kind::OpenQuestion => "A grave question is open",
            Kind::Opening => "The vise does not open so far",
            Kind::OrderBroken => "An operation stands before one that it needs",
            Kind::OtherTool => "Another cutter is called than is promised",
            Kind::Overload => "More is asked of the spindle than it has",
            Kind::OwnerAsked => "The drawing's owner was asked",
            Kind::Plunge => "A cutter without a cutting centre is fed straight down",
            Kind::PostedMissing => "The text that the promises were made for is missing",
            Kind::PromiseLost => "Lines that promise something are gone",
            Kind::Ramp => "A cutter goes down more steeply than it can",
            Kind::RapidInStock => "A rapid runs through stock",
            Kind::Rehearsal => "This is a rehearsal",
            Kind::ResultBox => "An earlier job's result counts as its box",
            Kind::Rpm => "A speed that the spindle cannot run",
            Kind::ShankInKeepOut => "A shank enters what holds the part",
            Kind::ShankInStock => "A shank rubs in the stock",
            Kind::Sliver => "A sliver would stay on the joint of the stock",
            Kind::SmallLeftover => "Hundredths are left",
            Kind::SpindleOff => "A cut with the spindle off",
            Kind::SpindleReversed => "A cut with the spindle turning backwards",
            Kind::StockMaterial => "The piece is of another material",
            Kind::StockNotPlanned => "A piece of stock that cannot be planned yet",
            Kind::StoredAsSplines => "Faces are stored as splines",
            Kind::Tall => "Much stands above little grip",
            Kind::ThinSkin => "A skin over a hollow is faced off",
            Kind::TightHelix => "A cutter enters by a narrow helix",
            Kind::ToReam => "A reamer follows",
            Kind::ToTap => "A tap follows",
            Kind::TooDeep => "A wall deeper than any cutter reaches",
            Kind::TooLong => "The block is longer than the machine's travel",
            Kind::ToothLoad => "A chip thicker than usual",
            Kind::Travel => "An axis leaves its travel",
            Kind::UncutFace => "A slanted or free face is left rough",
            Kind::UnknownTool => "A tool that the crib does not have",
            Kind::WrongLengthOffset => "A cut with another tool's length offset",
            Kind::StockAskew => "A part cannot lie so in this piece",
            Kind::StockLarge => "The piece does not fit the vise or the machine",
            Kind::StockNoHat => "The piece leaves nothing to hold by",
            Kind::StockSmall => "The piece is too small",
            Kind::StockTight => "The piece leaves little to clean",
            Kind::Unknown => "A kind that this build does not know",
        }
    }
    /// Does it name material that stays on the part?
    pub fn leaves(self) -> bool {
        matches!(
            self,
            Kind::Beside
                | Kind::Chamfer
                | Kind::ChamferEnd
                | Kind::Corner
                | Kind::DrillPoint
                | Kind::HoleWithoutTool
                | Kind::Leftover
                | Kind::NeedsOtherSide
                | Kind::NotMakeable
                | Kind::NotPlanned
                | Kind::ToReam
                | Kind::ToTap
                | Kind::TooDeep
                | Kind::UncutFace
        )
    }
    /// The gravest that it can be.
    pub fn gravest(self) -> Severity {
        match self {
            Kind::AnswerLost
            | Kind::Beside
            | Kind::Chamfer
            | Kind::ChamferEnd
            | Kind::ClampGently
            | Kind::DecisionLost
            | Kind::DrillPoint
            | Kind::Engagement
            | Kind::MarkDoubt
            | Kind::MayBeThread
            | Kind::ModelDoubt
            | Kind::NeedsOtherSide
            | Kind::NoSpot
            | Kind::NotPlanned
            | Kind::OpenQuestion
            | Kind::OrderBroken
            | Kind::PostedMissing
            | Kind::ResultBox
            | Kind::Sliver
            | Kind::Tall
            | Kind::ThinSkin
            | Kind::TightHelix
            | Kind::ToReam
            | Kind::ToTap
            | Kind::UncutFace
            | Kind::StockTight => Severity::Warn,
            Kind::Batch
            | Kind::Casting
            | Kind::CuttingData
            | Kind::NoPromises
            | Kind::OwnerAsked
            | Kind::Rehearsal
            | Kind::SmallLeftover
            | Kind::StoredAsSplines => Severity::Note,
            _ => Severity::Stop,
        }
    }
    /// Can what it names be left for the hand (a file, a broach, a bought tool) by a person's decision?
    pub fn by_hand(self) -> bool {
        matches!(self, Kind::Corner | Kind::HoleWithoutTool | Kind::TooDeep)
    }
    /// The kind of this name.
    pub fn named(name: &str) -> Option<Kind> {
        KINDS.iter().copied().find(|k| k.name() == name)
    }
    /// Can it forbid cutting?
    pub fn forbids(self) -> bool {
        self.gravest() == Severity::Stop
    }
}

impl std::fmt::Display for Kind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

impl PartialEq<str> for Kind {
    fn eq(&self, other: &str) -> bool {
        self.name() == other
    }
}

impl PartialEq<&str> for Kind {
    fn eq(&self, other: &&str) -> bool {
        self.name() == *other
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn every_kind_is_in_the_catalogue_once_with_its_meaning() {
        assert_eq!(KINDS.len(), Kind::Unknown as usize, "a kind is missing in KINDS");
        let names: BTreeSet<&str> = KINDS.iter().map(|k| k.name()).collect();
        let meanings: BTreeSet<&str> = KINDS.iter().map(|k| k.meaning()).collect();
        assert!(names.len() == KINDS.len() && meanings.len() == KINDS.len());
        assert!(KINDS.iter().all(|k| k.meaning().len() > 8));
        // What is written is the name, and read back it is the kind.
        for k in KINDS {
            let text = serde_json::to_string(k).unwrap();
            assert_eq!(text, format!("\"{k}\""));
            assert_eq!(serde_json::from_str::<Kind>(&text).unwrap(), *k);
        }
        assert_eq!(serde_json::from_str::<Kind>("\"of_tomorrow\"").unwrap(), Kind::Unknown);
    }

    #[test]
    fn what_leaves_material_or_forbids_cutting_is_told_by_the_kind() {
        assert!(Kind::Corner.leaves() && Kind::Corner.forbids());
        assert!(Kind::NeedsOtherSide.leaves() && !Kind::NeedsOtherSide.forbids());
        // What a hand may make is left first, and nothing that was cut wrong is a matter of the hand.
        assert!(KINDS.iter().filter(|k| k.by_hand()).all(|k| k.leaves() && k.forbids()) && !Kind::Gouge.by_hand());
        assert_eq!((Kind::named("corner"), Kind::named("of_tomorrow")), (Some(Kind::Corner), None));
        assert!(!Kind::MayBeThread.leaves() && !Kind::Gouge.leaves() && Kind::Gouge.forbids());
    }
}
