//! The shape of `plan.json`: what stands in it, and what in it cannot be.

use crate::Control;
use crate::files::FileError;
use geom::{Bar, Box3, DVec3, Placement};
use program::{Dialect, Promise};
use proof::When;
use reason::Finding;
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Machine;
use shop::tool::{Tool, ToolKind};
use std::collections::BTreeMap;
use std::path::Path;
use ts_rs::TS;

/// `plan.json`. Lengths mm; frames as named.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PlanFile {
    /// The model.
    pub part: PartRef,
    /// Material id.
    #[serde(default)]
    pub material: String,
    /// Block in part coordinates.
    pub stock: StockBox,
    /// The stock is a bar: what of that box lies in it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bar: Option<Bar>,
    /// Setups in order.
    pub setups: Vec<SetupFile>,
    /// The machine; the demo shop's where it is missing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub machine: Option<Machine>,
    /// The control that the programs are written for: a name that shop or product knows, or all of it; that of the machine where it is missing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dialect: Option<DialectRef>,
    /// What the plan leaves uncut, by name.
    #[serde(default)]
    pub named: Vec<Finding>,
    /// Points of drills below bottoms that are drawn flat: allowed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub points: Vec<route::Point>,
    /// Threads that the programs cut into holes of the model.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub threads: Vec<ThreadFile>,
    /// Setups that would be needed and cannot be held: no program is made for them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub not_planned: Vec<holding::NotPlanned>,
    /// What else there is to know of the plan.
    #[serde(default)]
    pub findings: Vec<Finding>,
    /// Ways of holding that were compared, the best first.
    #[serde(default)]
    pub compared: Vec<String>,
    /// What crosses a flip: how far it may be off, and what is allowed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub crossings: Vec<crate::budget::Crossing>,
    /// Ways of holding that were looked at for each side after the first, with the reason why not.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub offers: Vec<holding::Offer>,
    /// Whole ways of making the part: what each takes and what speaks against it, the one to take first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub schemes: Option<crate::Comparison>,
}

/// A control, by name or told whole.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum DialectRef {
    /// By its short name.
    Name(String),
    /// All of it.
    Whole(Box<Dialect>),
}

impl PlanFile {
    /// What its programs are read by.
    ///
    /// # Errors
    /// A control that nobody knows, or that makes no sense, by name.
    pub fn control(&self, shop: &Shop) -> Result<Control, FileError> {
        let machine = self.machine.as_ref().unwrap_or(&shop.machine);
        let named = |n: &str| shop.dialect(n).cloned().map_err(|e| FileError::Refused(format!("plan.json: {e}")));
        let dialect = match &self.dialect {
            None => named(&machine.dialect)?,
            Some(DialectRef::Name(n)) => named(n)?,
            Some(DialectRef::Whole(d)) => (**d).clone(),
        };
        match dialect.fault() {
            Some(why) => Err(FileError::Refused(format!("plan.json: {why}"))),
            None => Ok(Control::new(&dialect, machine)),
        }
    }
}

/// A thread that a program cuts: the model shows its hole. Lengths mm, part coordinates.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ThreadFile {
    /// Box around all that its tool cuts.
    pub place: StockBox,
    /// Core of the nut thread.
    pub minor_mm: f64,
    /// Outside.
    pub major_mm: f64,
    /// Pitch.
    pub pitch_mm: f64,
    /// "M8".
    #[serde(default)]
    pub name: String,
    /// Setup whose program cuts it; any where it is empty.
    #[serde(default)]
    pub setup: String,
    /// Middle of its mouth, and the direction out of it; without them an axis of the box as long as no other.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub axis: Option<[[f64; 3]; 2]>,
    /// From the mouth to the end of the full thread; all of the box where it is missing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub full_mm: Option<f64>,
    /// From the mouth to the lowest place of what cuts it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reach_mm: Option<f64>,
}

impl ThreadFile {
    pub(crate) fn of(setup: &str, name: &str, h: &route::FinishedHole) -> Option<ThreadFile> {
        Some(ThreadFile {
            place: StockBox { min_mm: h.place.min_mm, max_mm: h.place.max_mm },
            minor_mm: h.minor_mm?,
            major_mm: h.major_mm?,
            pitch_mm: h.pitch_mm?,
            name: name.into(),
            setup: setup.into(),
            axis: Some([h.mouth_mm, h.out]),
            full_mm: Some(h.full_mm),
            reach_mm: Some(h.reach_mm),
        })
    }
    pub(crate) fn fault(&self) -> Option<String> {
        let sizes = [self.minor_mm, self.major_mm, self.pitch_mm];
        let sound = sizes.iter().all(|v| v.is_finite() && *v > 0.0 && *v < 1000.0) && self.minor_mm < self.major_mm;
        let axis = self.axis.is_none_or(|[at, out]| {
            at.iter().chain(&out).all(|v| v.is_finite()) && (DVec3::from_array(out).length() - 1.0).abs() < 1e-3
        });
        let deep = [self.full_mm, self.reach_mm].into_iter().flatten().all(|v| v.is_finite() && v > 0.0);
        (!(sound && axis && deep && self.place.has_size())).then(|| {
            format!("the thread '{}' has no size: minor_mm < major_mm, pitch_mm, place, axis and depths are lengths above 0", self.name)
        })
    }
    pub(crate) fn as_thread(&self) -> proof::Thread {
        let b = self.place.as_box();
        let size = b.size();
        let [mouth, out] = self.axis.map_or_else(
            || {
                let off = |k: usize| (size[k] - self.major_mm).abs();
                let axis = (0..3).max_by(|&i, &j| off(i).total_cmp(&off(j))).unwrap_or(2);
                let mut out = DVec3::ZERO;
                out[axis] = 1.0;
                let mut mouth = b.middle();
                mouth[axis] = b.max[axis];
                [mouth, out]
            },
            |a| a.map(DVec3::from_array),
        );
        let length = size.dot(out.abs());
        proof::Thread {
            name: self.name.clone(),
            setup: self.setup.clone(),
            mouth,
            out,
            major: self.major_mm,
            minor: self.minor_mm,
            pitch: self.pitch_mm,
            full: self.full_mm.unwrap_or(length),
            reach: self.reach_mm.unwrap_or(length),
            place: reason::Place::new(b.min, b.max),
        }
    }
}

/// The model's file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PartRef {
    /// Beside `plan.json`, or a path.
    pub file: String,
    /// What was said about its reading: unit, solid, thickness of a drawn plate.
    #[serde(default)]
    pub reading: intake::Reading,
    /// Of the file's bytes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sha256: Option<String>,
}

/// A box.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct StockBox {
    /// Least corner.
    pub min_mm: [f64; 3],
    /// Largest corner.
    pub max_mm: [f64; 3],
}

impl StockBox {
    pub(crate) fn of(b: &Box3) -> StockBox {
        StockBox { min_mm: b.min.to_array(), max_mm: b.max.to_array() }
    }
    pub(crate) fn as_box(&self) -> Box3 {
        Box3 { min: self.min_mm.into(), max: self.max_mm.into() }
    }
    pub(crate) fn has_size(&self) -> bool {
        let (a, b) = (self.min_mm, self.max_mm);
        (0..3).all(|k| a[k].is_finite() && b[k].is_finite() && b[k] > a[k] && b[k] - a[k] < 5000.0)
    }
}

/// What a person at the machine is told of a setup, in order.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct SetupWords {
    /// Loading, seating, tightening, touching.
    #[serde(default)]
    pub load: Vec<String>,
    /// What is done at each stop of the program.
    #[serde(default)]
    pub at_stops: Vec<Vec<String>>,
    /// What is tried before it is unclamped.
    #[serde(default)]
    pub tried: Vec<String>,
    /// What is left to the hand afterwards.
    #[serde(default)]
    pub by_hand: Vec<String>,
}

/// A cutter, and how it looks where its sizes do not say it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ToolFile {
    /// Its sizes.
    #[serde(flatten)]
    pub tool: Tool,
    /// Outline from the tip up to the end of its teeth, height and radius, of a spot drill, tap, reamer, thread mill; for readers of the file,
    /// it follows from the sizes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub profile_mm: Vec<[f64; 2]>,
}

impl ToolFile {
    pub(crate) fn of(tool: &Tool) -> ToolFile {
        let own = tool.kind.undercuts()
            || matches!(tool.kind, ToolKind::Spot | ToolKind::Tap | ToolKind::Reamer | ToolKind::ThreadMill);
        ToolFile { profile_mm: if own { tool.profile() } else { Vec::new() }, tool: tool.clone() }
    }
}

/// A setup.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct SetupFile {
    /// Name.
    pub name: String,
    /// File of its program.
    pub program: String,
    /// Row by row, column vectors, shift in elements 4, 8, 12.
    pub part_from_work: [f64; 16],
    /// Work zero in machine coordinates.
    pub zero_in_machine_mm: [f64; 3],
    /// Further zeros, "G55" to "G59": where they stand in this setup's work coordinates.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub zeros: BTreeMap<String, [f64; 3]>,
    /// Sawn off before it: of the stock only what lies in this box is left, part coordinates.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sawn: Option<StockBox>,
    /// What a person at the machine is told.
    #[serde(default)]
    pub words: SetupWords,
    /// Tools.
    pub tools: Vec<ToolFile>,
    /// What nothing may enter.
    #[serde(default)]
    pub keep_out: Vec<KeepOutFile>,
    /// What its place may be off by, along its axes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub error: Vec<AxisError>,
    /// Id of the station that it is cut on.
    #[serde(default)]
    pub station: String,
    /// How it is held.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hold: Option<holding::Hold>,
    /// What the zero touches.
    #[serde(default)]
    pub zero: Vec<holding::Datum>,
    /// What is measured before it is unclamped.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sizes: Vec<crate::sizes::Size>,
    /// Operations with their reasons.
    #[serde(default)]
    pub operations: serde_json::Value,
    /// What the lines of the program promise; the text that they were made for lies in `posted/`. None: no promises were given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub posted: Option<Vec<Promise>>,
}

/// What a setup's place may be off by along one axis.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AxisError {
    /// "X".
    pub axis: String,
    /// All terms in one direction, mm.
    pub worst_mm: f64,
    /// Root of the sum of their squares, mm.
    pub likely_mm: f64,
}

/// Something named that nothing may enter: a box, or a solid.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum KeepOutFile {
    /// A box in work coordinates.
    Box {
        /// Name.
        name: String,
        /// Least corner.
        min_mm: [f64; 3],
        /// Largest corner.
        max_mm: [f64; 3],
        /// So deep a cutting cutter may go into its top, mm.
        #[serde(default, skip_serializing_if = "is_nothing")]
        may_cut_mm: f64,
        /// What lies on it sticks to it.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        sticks: bool,
        /// How and when it stands there.
        #[serde(flatten)]
        stands: Stands,
    },
    /// A solid from a model's file.
    Model {
        /// Name.
        name: String,
        /// In the folder: `made/NAME/model.step`.
        model: String,
        /// Row by row, column vectors, shift in elements 4, 8, 12.
        work_from_model: [f64; 16],
        /// How and when it stands there.
        #[serde(flatten)]
        stands: Stands,
    },
}

/// How and when something stands that holds a piece; with nothing said, all the time.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Stands {
    /// It presses on what lies under it: that does not come loose.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub(crate) clamps: bool,
    /// From this stop (M0) of the program on, until that one if there is a second number: `[0, 1]` up to the first stop, `[1]` after it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    stops: Vec<u32>,
    /// The same by the lines of the program as it was posted, first and last. Where both are given the stops say more: they move with an edited text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    lines: Option<[u32; 2]>,
}

impl Stands {
    /// Of a body, with the lines of its program's stops and the program's last line.
    pub(crate) fn of(clamps: bool, [from, to]: [u32; 2], at: &[u32], last: u32) -> Stands {
        if [from, to] == [0, holding::FOR_EVER] {
            return Stands { clamps, ..Stands::default() };
        }
        let line = |stop: u32| stop.checked_sub(1).and_then(|k| at.get(k as usize)).copied();
        let until = if to == holding::FOR_EVER { last } else { line(to).unwrap_or(last) };
        let stops = if to == holding::FOR_EVER { vec![from] } else { vec![from, to] };
        Stands { clamps, stops, lines: Some([line(from).map_or(1, |l| l + 1), until]) }
    }
    /// From which stop to which, where it is told so.
    pub(crate) fn between(&self) -> Option<[u32; 2]> {
        match self.stops[..] {
            [from] => Some([from, holding::FOR_EVER]),
            [from, to] => Some([from, to]),
            _ => None,
        }
    }
    pub(crate) fn when(&self) -> When {
        match (&self.stops[..], self.lines) {
            ([from], _) => When::Stops([*from, holding::FOR_EVER]),
            ([from, to], _) => When::Stops([*from, *to]),
            (_, Some(lines)) => When::Lines(lines),
            _ => When::Always,
        }
    }
    fn is_wrong(&self) -> bool {
        let turned = |v: &[u32]| matches!(v, [a, b] if b < a);
        self.stops.len() > 2 || turned(&self.stops) || self.lines.is_some_and(|l| turned(&l))
    }
}

// What skips a field is asked by reference.
#[expect(clippy::trivially_copy_pass_by_ref)]
fn is_nothing(v: &f64) -> bool {
    *v == 0.0
}

impl KeepOutFile {
    /// What is wrong with it.
    pub(crate) fn fault(&self) -> Option<String> {
        let (KeepOutFile::Box { name, stands, .. } | KeepOutFile::Model { name, stands, .. }) = self;
        if stands.is_wrong() {
            return Some(format!("keep_out '{name}' stands from a stop or line to one before it"));
        }
        match self {
            KeepOutFile::Box { name, may_cut_mm, .. } if !(0.0..1000.0).contains(may_cut_mm) => {
                Some(format!("may_cut_mm of the keep_out box '{name}' is no depth"))
            }
            KeepOutFile::Box { name, min_mm: a, max_mm: b, .. } => {
                let no_size = (0..3).any(|i| !a[i].is_finite() || !b[i].is_finite() || b[i] < a[i]);
                no_size.then(|| format!("the keep_out box '{name}' has no size"))
            }
            KeepOutFile::Model { name, model, work_from_model, .. } => {
                let inside = Path::new(model).components().all(|c| matches!(c, std::path::Component::Normal(_)));
                if !inside || model.is_empty() {
                    Some(format!("the model of keep_out '{name}' must lie in the plan's folder"))
                } else {
                    let rigid = Placement::from_rows(work_from_model).is_some();
                    (!rigid).then(|| format!("work_from_model of keep_out '{name}' is no right-handed rotation"))
                }
            }
        }
    }
}

/// What in it is no plan, in one sentence.
pub(crate) fn check(p: &PlanFile) -> Result<(), String> {
    let bad = |what: String| Err(format!("plan.json: {what}; plan the part again, or mend that place"));
    if !p.stock.has_size() {
        return bad("the stock has no size".into());
    }
    if let Some(f) = p.bar.as_ref().and_then(Bar::fault) {
        return bad(f);
    }
    if let Some(f) = p.threads.iter().find_map(ThreadFile::fault) {
        return bad(f);
    }
    if p.setups.is_empty() {
        return bad("it has no setup".into());
    }
    for s in &p.setups {
        if Placement::from_rows(&s.part_from_work).is_none() {
            return bad(format!("part_from_work of '{}' is no right-handed rotation", s.name));
        }
        if !s.zero_in_machine_mm.iter().all(|v| v.is_finite()) {
            return bad(format!("zero_in_machine_mm of '{}' is no place", s.name));
        }
        let zero = |(name, at): (&String, &[f64; 3])| {
            crate::proving::zero_number(name).is_none() || at.iter().any(|v| !v.is_finite())
        };
        if s.zeros.iter().any(zero) {
            return bad(format!("the zeros of '{}' are places named G55 to G59", s.name));
        }
        if s.sawn.as_ref().is_some_and(|b| !b.has_size()) {
            return bad(format!("what the saw leaves before '{}' has no size", s.name));
        }
        if let Some(f) = s.tools.iter().find_map(|t| t.tool.fault()) {
            return bad(f);
        }
        if let Some(f) = s.keep_out.iter().find_map(KeepOutFile::fault) {
            return bad(format!("{f} ('{}')", s.name));
        }
    }
    Ok(())
}
