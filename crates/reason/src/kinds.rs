//! The catalogue of finding kinds: what each means, how grave it can be, whether it names material that stays on the part.

use crate::Severity;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// One line a kind: variant, name, the gravest that it can be, whether material stays on the part, and what it means.
macro_rules! kinds {
    ($($kind:ident $name:ident $gravest:ident $stays:tt $meaning:literal;)*) => {
        /// A kind of finding.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
        #[serde(rename_all = "snake_case")]
        pub enum Kind {
            $(#[doc = $meaning] $kind,)*
            /// A kind that this build does not know: from a file of another one.
            #[serde(other)]
            Unknown,
        }

        /// All of them but [`Kind::Unknown`].
        pub const KINDS: &[Kind] = &[$(Kind::$kind),*];

        impl Kind {
            /// As findings carry it.
            pub fn name(self) -> &'static str {
                match self {
                    $(Kind::$kind => stringify!($name),)*
                    Kind::Unknown => "unknown",
                }
            }
            /// In a line.
            pub fn meaning(self) -> &'static str {
                match self {
                    $(Kind::$kind => $meaning,)*
                    Kind::Unknown => "A kind that this build does not know",
                }
            }
            /// Does it name material that stays on the part?
            pub fn leaves(self) -> bool {
                match self {
                    $(Kind::$kind => stringify!($stays) == "stays",)*
                    Kind::Unknown => false,
                }
            }
            /// The gravest that it can be.
            pub fn gravest(self) -> Severity {
                match self {
                    $(Kind::$kind => Severity::$gravest,)*
                    Kind::Unknown => Severity::Stop,
                }
            }
        }
    };
}

kinds! {
    AnswerLost answer_lost Warn _ "An answer about something that the part has no more";
    AsItComes as_it_comes Note _ "A face stays as the stock comes";
    Batch batch Note _ "The piece is wanted more than once";
    Beside beside Warn stays "A solid that stays keeps cutters away";
    BesideInHold beside_in_hold Stop _ "A solid that stays stands in what holds the part";
    Casting casting Note _ "The stock is uneven";
    Chamfer chamfer Warn stays "A chamfer has no room for its cutter";
    ChamferEnd chamfer_end Warn stays "A chamfer ends where a cone leaves a little";
    ClampGently clamp_gently Warn _ "The vise must not be closed with all its force";
    Corner corner Stop stays "An inside corner is sharper than any cutter that reaches it";
    CutterInKeepOut cutter_in_keep_out Stop _ "A cutter enters what holds the part";
    CuttingData cutting_data Note _ "A number of the cut is not as wished";
    DecisionLost decision_lost Warn _ "A decision about an operation that the plan has no more";
    DoesNotSeat does_not_seat Stop _ "What holds the part stands where there is still material";
    DrillPoint drill_point Warn stays "The point of a drill leaves its cone";
    Dwell dwell Stop _ "The program waits while the spindle stands";
    EditedUnreadable edited_unreadable Stop _ "An edited program cannot be followed";
    EasedFeed eased_feed Note _ "Where more is met than along the rest of a cut, its feed gives way";
    EndsStay ends_stay Note _ "Stock at the ends stays under straps, parted from the part";
    Engagement engagement Warn _ "More of the cutter is in the cut than is promised";
    Feed feed Stop _ "A feed that the machine cannot run";
    FlipError flip_error Warn _ "What crosses a flip may lie off by more than is allowed";
    Gouge gouge Stop _ "The part is cut too deep";
    HolderInKeepOut holder_in_keep_out Stop _ "A holder enters what holds the part";
    HolderInStock holder_in_stock Stop _ "A holder rubs in the stock";
    HoldingForce holding_force Stop _ "The grip holds too little";
    HoleWithoutTool hole_without_tool Stop stays "A hole for which the crib has no tool";
    Leftover leftover Stop stays "Material is left that a side reaches";
    JawsDoNotFit jaws_do_not_fit Stop _ "The part does not fit into its soft jaws";
    JawsBear jaws_bear Stop _ "Soft jaws bear otherwise than planned";
    LoosePiece loose_piece Stop _ "A piece comes loose";
    MarkDoubt mark_doubt Warn _ "A mark does not fit the part";
    MayBeThread may_be_thread Warn _ "A hole that is likely a thread";
    ModelDoubt model_doubt Warn _ "The model is doubtful";
    NeedsOtherSide needs_other_side Warn stays "Material that another side would reach";
    NoCoolant no_coolant Stop _ "A cut without coolant that wants it";
    NoEnd no_end Stop _ "The program has no end";
    NoGrip no_grip Stop _ "A setup cannot be held";
    NoHat no_hat Stop _ "The stock leaves nothing to hold the first side by";
    NoLengthOffset no_length_offset Stop _ "A cut without the tool's length offset";
    NoPromises no_promises Note _ "The program promises nothing";
    NoSpot no_spot Warn _ "A hole is drilled without a spot";
    NoTool no_tool Stop _ "A feed with no tool called";
    NotMade not_made Stop _ "What would hold the part cannot be made";
    NotMakeable not_makeable Stop stays "Material that no straight cutter reaches";
    NotTilted not_tilted Warn _ "What is inclined is cut by no setup";
    NotPlanned not_planned Warn stays "What a setup that is not planned would cut";
    OpenQuestion open_question Warn _ "A grave question is open";
    Opening opening Stop _ "The vise does not open so far";
    OrderBroken order_broken Warn _ "An operation stands before one that it needs";
    OtherTool other_tool Stop _ "Another cutter is called than is promised";
    Overload overload Stop _ "More is asked of the spindle than it has";
    OwnerAsked owner_asked Note _ "The drawing's owner was asked";
    Plunge plunge Stop _ "A cutter without a cutting centre is fed straight down";
    PostedMissing posted_missing Warn _ "The text that the promises were made for is missing";
    PromiseLost promise_lost Stop _ "Lines that promise something are gone";
    Ramp ramp Stop _ "A cutter goes down more steeply than it can";
    RapidInStock rapid_in_stock Stop _ "A rapid runs through stock";
    Rehearsal rehearsal Note _ "This is a rehearsal";
    ResultBox result_box Warn _ "An earlier job's result counts as its box";
    Rpm rpm Stop _ "A speed that the spindle cannot run";
    ShankInKeepOut shank_in_keep_out Stop _ "A shank enters what holds the part";
    ShankInStock shank_in_stock Stop _ "A shank rubs in the stock";
    Sliver sliver Warn _ "A sliver would stay on the joint of the stock";
    SmallLeftover small_leftover Note _ "Hundredths are left";
    SpindleOff spindle_off Stop _ "A cut with the spindle off";
    SpindleReversed spindle_reversed Stop _ "A cut with the spindle turning backwards";
    StockMaterial stock_material Stop _ "The piece is of another material";
    StockNotPlanned stock_not_planned Stop _ "A piece of stock that cannot be planned yet";
    StoredAsSplines stored_as_splines Note _ "Faces are stored as splines";
    Tall tall Warn _ "Much stands above little grip";
    ThinSkin thin_skin Warn _ "A skin over a hollow is faced off";
    ThreadEnd thread_end Note _ "A thread or a fit ends before its hole does";
    ThreadFeed thread_feed Stop _ "The feed does not follow the thread's pitch";
    ThreadMissing thread_missing Stop _ "A thread that the plan promises is not cut";
    ThreadSize thread_size Stop _ "A thread is cut too large or too small";
    TightHelix tight_helix Warn _ "A cutter enters by a narrow helix";
    ToReam to_ream Warn stays "A reamer follows";
    ToTap to_tap Warn stays "A tap follows";
    TooDeep too_deep Stop stays "A wall deeper than any cutter reaches";
    TooLong too_long Stop _ "The block is longer than the machine's travel";
    ToothLoad tooth_load Stop _ "A chip thicker than usual";
    Travel travel Stop _ "An axis leaves its travel";
    TurnsAtStop turns_at_stop Stop _ "The spindle turns while the program waits for a person";
    UncutFace uncut_face Warn stays "A slanted or free face is left rough";
    UnknownTool unknown_tool Stop _ "A tool that the crib does not have";
    WrongLengthOffset wrong_length_offset Stop _ "A cut with another tool's length offset";
    StockAskew stock_askew Stop _ "A part cannot lie so in this piece";
    StockLarge stock_large Stop _ "The piece does not fit the vise or the machine";
    StockNoHat stock_no_hat Stop _ "The piece leaves nothing to hold by";
    StockSmall stock_small Stop _ "The piece is too small";
    StockTight stock_tight Warn _ "The piece leaves little to clean";
    TurnsFreely turns_freely Warn _ "Nothing says how far a round part is turned";
    WitnessLine witness_line Note _ "Two halves of an outline meet";
}

impl Kind {
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
