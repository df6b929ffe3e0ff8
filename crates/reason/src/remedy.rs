//! What can be done about a finding at once: a decision, as data.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A decision that mends what a finding tells, with the words for its button. It is written as `job::Decision` is, so that it can be decided as it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Remedy {
    /// For the button: "Answer: thread M5".
    pub words: String,
    /// What is decided.
    pub decision: Act,
}

/// Decisions that a finding may propose.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "about", rename_all = "snake_case")]
pub enum Act {
    /// A question about the part is answered; none opens it again.
    Answer {
        /// Its key.
        question: String,
        /// Key of the choice.
        answer: Option<String>,
    },
    /// An operation's numbers; none: the proposed ones again.
    Operation {
        /// Its id.
        id: String,
        /// All that a person settled of it, the new ones among them.
        change: Option<Override>,
    },
    /// An operation stands in its proposed place again.
    Sequence {
        /// Its id.
        id: String,
        /// Always none.
        before: Option<()>,
    },
    /// A mark is taken away.
    Mark {
        /// Its key.
        id: String,
        /// Always none.
        mark: Option<()>,
    },
    /// Programs are written for the mill's own control again.
    Control {
        /// Always none.
        id: Option<()>,
    },
    /// The sides are the proposed ones again.
    Order {
        /// Always none.
        choice: Option<()>,
    },
    /// The whole way is the proposed one again.
    Scheme {
        /// Always none.
        id: Option<()>,
    },
    /// A rehearsal ends.
    Rehearsal {
        /// Always none.
        on: Option<()>,
    },
    /// A setup's program is the posted one again.
    Edited {
        /// Name of the setup.
        setup: String,
        /// Always none.
        sha: Option<()>,
        /// Always empty.
        file: String,
    },
}

/// What a person changed of one operation; everything else stays proposed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Override {
    /// Tool number.
    pub tool: Option<u32>,
    /// 1/min.
    pub rpm: Option<f64>,
    /// mm/min.
    pub feed: Option<f64>,
    /// Axial depth of a level, mm.
    pub depth: Option<f64>,
    /// Radial width, mm.
    pub width: Option<f64>,
}

impl Remedy {
    /// With the words for its button.
    pub fn new(words: impl Into<String>, decision: Act) -> Remedy {
        Remedy { words: words.into(), decision }
    }
}
