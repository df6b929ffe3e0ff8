//! What is said to a machine and what it answers: one JSON object a line each way. Lengths mm, machine coordinates of the spindle nose unless said otherwise.

use program::Dialect;
use serde::{Deserialize, Serialize};
use shop::machine::Machine;
use std::collections::BTreeMap;
use ts_rs::TS;

/// Longest line, bytes.
pub const MOST_LINE: usize = 16 << 20;

/// An order: `{"do": "start"}`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum Order {
    /// Tell how it stands. All others tell it too.
    State,
    /// Be this mill with this control, cleared for somebody's run: another run is refused until it is let go.
    Take {
        /// Who has it: "run 12".
        who: String,
        /// The mill.
        machine: Box<Machine>,
        /// Its control.
        dialect: Box<Dialect>,
    },
    /// Let it go.
    Release,
    /// Put a cutter into its place, set to about this length.
    Fit {
        /// T.
        tool: u32,
        /// As it was to be set, gauge line to tip, mm.
        length_mm: f64,
        /// mm.
        diameter_mm: f64,
    },
    /// Measure a cutter at the setter; gives its length.
    Setter {
        /// T.
        tool: u32,
    },
    /// Touch a face that should be at `at`, coming from where `normal` points; gives the machine's coordinate along it.
    Touch {
        /// A point of the face as planned, machine coordinates (z: of the face itself).
        at: [f64; 3],
        /// 0 X, 1 Y, 2 Z.
        axis: usize,
        /// 1 from its larger side, −1 from its smaller.
        side: f64,
        /// What touches.
        with: With,
    },
    /// Come to stand over a middle that should be at `at`; gives the machine's coordinate along the axis.
    Middle {
        /// As planned, machine coordinates.
        at: [f64; 3],
        /// 0 X, 1 Y.
        axis: usize,
        /// So far the aid may be off, mm.
        off_mm: f64,
    },
    /// Measure the height of what a cutter has cut; gives it over the true zero.
    Height {
        /// T.
        tool: u32,
        /// As the program has it over Z0, mm.
        nominal_mm: f64,
        /// Z0 as planned, machine coordinate of a nose without a cutter.
        zero_mm: f64,
    },
    /// Measure a size of the piece; gives it.
    Gauge {
        /// As it should be, mm.
        nominal_mm: f64,
    },
    /// Enter one axis of the zero (G54).
    Zero {
        /// 0 X, 1 Y, 2 Z.
        axis: usize,
        /// Machine coordinate.
        value: f64,
    },
    /// Enter a cutter's length.
    Length {
        /// T.
        tool: u32,
        /// mm.
        value: f64,
    },
    /// Load a program.
    Load {
        /// File.
        name: String,
        /// Its text.
        text: String,
    },
    /// Cycle start: from the beginning, or on from a stop or a hold.
    Start,
    /// Feed hold.
    Hold,
    /// The program is at its beginning, alarms are cleared, the spindle stands.
    Reset,
    /// Axes go to their reference point.
    Home,
    /// The main switch.
    Power {
        /// On.
        on: bool,
    },
    /// Feed override.
    Override {
        /// Percent, 0 to 200.
        percent: f64,
    },
    /// How much faster than a real one it runs.
    Factor {
        /// 0.1 to 100 000.
        times: f64,
    },
    /// Stops at M1.
    OptionalStop {
        /// It does.
        on: bool,
    },
    /// Stops after each step.
    Single {
        /// It does.
        on: bool,
    },
    /// The door.
    Door {
        /// Open.
        open: bool,
    },
    /// The tank.
    Coolant {
        /// There is enough.
        enough: bool,
    },
    /// Put a fault in.
    Fault {
        /// Which.
        fault: Fault,
    },
    /// What was hidden: for tests, and for whoever wants to know afterwards.
    Reveal,
}

/// What touches a face.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum With {
    /// A ball or the tip of an edge finder in the spindle.
    Tip {
        /// mm.
        diameter_mm: f64,
        /// From the gauge line to its lowest point, mm.
        length_mm: f64,
        /// So far off it may be, mm.
        off_mm: f64,
    },
    /// A cutter with a pin or paper between.
    Cutter {
        /// T.
        tool: u32,
        /// Pin or paper, mm.
        gap_mm: f64,
        /// So far off it may be, mm.
        off_mm: f64,
    },
}

/// Faults that can be put in.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[ts(rename = "MachineFault")]
pub enum Fault {
    /// The cutter breaks in the first cut at or after this line.
    Break {
        /// Of the text.
        line: u32,
    },
    /// The power goes at or after this line.
    Power {
        /// Of the text.
        line: u32,
    },
    /// Nobody is heard on the line for so long; the machine goes on.
    Line {
        /// s.
        seconds: f64,
    },
    /// The probe does not answer when it touches next.
    Probe,
    /// What stands on the table is turned, mm over 100 mm.
    Askew {
        /// mm over 100 mm.
        mm_in_100: f64,
    },
    /// What is touched stands so far from where it stood before, mm.
    Moved {
        /// X, Y, Z.
        by: [f64; 3],
    },
    /// Pieces come out so much larger, mm.
    Large {
        /// mm.
        by: f64,
    },
}

/// What the machine does.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(rename = "MachineMode")]
pub enum Mode {
    /// Without power.
    Off,
    /// Axes do not know where they are.
    Lost,
    /// Ready.
    Idle,
    /// A program runs.
    Running,
    /// Feed hold.
    Held,
    /// At a stop of the program.
    Stopped,
    /// At the end of the program.
    Done,
    /// It stands by itself.
    Alarm,
}

/// How it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "MachineState")]
pub struct State {
    /// What it does.
    pub mode: Mode,
    /// Why it stands, in words.
    pub says: String,
    /// Who has it.
    pub who: Option<String>,
    /// Loaded program: file.
    pub program: Option<String>,
    /// First signs of its SHA-256.
    pub sum: String,
    /// Lines of the text.
    pub lines: u32,
    /// Line of the text that it is at.
    pub line: u32,
    /// Position of the spindle nose, machine coordinates, mm.
    pub machine_mm: [f64; 3],
    /// Position of the tip over the zero, as the control reckons it, mm.
    pub work_mm: [f64; 3],
    /// T in the spindle.
    pub tool: u32,
    /// 1/min; negative counter-clockwise.
    pub spindle: f64,
    /// mm/min as programmed; 0 where it does not feed.
    pub feed: f64,
    /// Percent.
    pub override_percent: f64,
    /// Times faster than a real one.
    pub factor: f64,
    /// It stops at M1.
    pub optional_stop: bool,
    /// It stops after each step.
    pub single: bool,
    /// The door is open.
    pub door_open: bool,
    /// There is coolant.
    pub coolant_enough: bool,
    /// Minutes that the program has run, at the machine's own time.
    pub ran_min: f64,
    /// Minutes that it takes in all at 100 %.
    pub takes_min: f64,
    /// The zero.
    pub zero_mm: [f64; 3],
    /// Lengths by T.
    pub lengths_mm: BTreeMap<u32, f64>,
    /// What happened, the newest last.
    pub events: Vec<Event>,
}

/// Something that happened.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "MachineEvent")]
pub struct Event {
    /// From 1.
    pub number: u32,
    /// Line of the text, 0 where none runs.
    pub line: u32,
    /// In words.
    pub what: String,
}

/// An answer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Reply {
    /// Why not, in words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub no: Option<String>,
    /// The number that was asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub gave: Option<f64>,
    /// What was hidden.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hidden: Option<crate::hidden::Hidden>,
    /// How it stands.
    pub state: State,
}
