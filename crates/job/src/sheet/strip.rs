//! The proof strip: what the machine does at every moment, as columns of equal length.

use super::Ledger;
use crate::plan::Plan;
use crate::proving::setups_of;
use program::{Shape, StepKind};
use proof::Proof;
use route::Operation;
use serde::{Deserialize, Serialize};
use shop::Shop;
use ts_rs::TS;

/// All setups.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Strip {
    /// Power that may be counted on, kW.
    pub usable_kw: f64,
    /// In order.
    pub setups: Vec<StripSetup>,
}

/// One operation on the strip.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct StripOp {
    /// Operation.
    pub id: String,
    /// In words.
    pub title: String,
    /// Sort.
    pub word: String,
    /// Tool number.
    pub tool: u32,
    /// s since the setup's start.
    pub start: f64,
    /// s since the setup's start.
    pub end: f64,
    /// First and last line of the text.
    pub lines: [u32; 2],
}

/// One setup: a column per quantity, an entry per step that takes time.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct StripSetup {
    /// s.
    pub seconds: f64,
    /// Operations in order of time.
    pub ops: Vec<StripOp>,
    /// Line of the text.
    pub line: Vec<u32>,
    /// End of the step, s since the setup's start.
    pub end: Vec<f64>,
    /// Tool number.
    pub tool: Vec<u32>,
    /// At the cutter, kW: mean over the step.
    pub power: Vec<f64>,
    /// Greatest engagement, degrees.
    pub engagement: Vec<f64>,
    /// mm/min; 0 for rapids and waits.
    pub feed: Vec<f64>,
    /// Where the cutter's lowest point is at the step's end, work coordinates, mm.
    pub x: Vec<f64>,
    /// See `x`.
    pub y: Vec<f64>,
    /// See `x`.
    pub z: Vec<f64>,
    /// Centre x, y (mm) and sweep (rad) of arcs; all 0 for lines.
    pub arc: Vec<[f64; 3]>,
    /// Where the minutes go.
    pub ledger: Ledger,
    /// Points of no return that lie in the program, in order of time.
    #[serde(default)]
    pub no_return: Vec<super::NoReturn>,
}

fn short(v: f64) -> f64 {
    (v * 1000.0).round() / 1000.0
}

/// kW per mm³/min of an operation: its specific force, or that of the drill's torque.
fn kw_per_rate(o: &Operation) -> f64 {
    o.mill.as_ref().map_or(0.0, |m| m.kc / 60e6)
}

/// Make the strip from the proof's loads and the programs' text.
pub fn strip(plan: &Plan, proof: &Proof, shop: &Shop) -> Strip {
    let setups = setups_of(plan).unwrap_or_default();
    let list = plan
        .sides
        .iter()
        .zip(&setups)
        .zip(&proof.loads)
        .map(|((side, input), loads)| {
            let order: Vec<&Operation> = side.operations.iter().filter(|o| o.path.is_some()).collect();
            let mut s = StripSetup::default();
            let (mut clock, mut current) = (0.0, None::<usize>);
            let mut at: [f64; 3] = [0.0, 0.0, 100.0];
            for (step, load) in input.program.steps.iter().zip(loads) {
                if let StepKind::Note { text } = &step.kind {
                    if let Some(k) = step_number(text).filter(|&k| k >= 1 && k <= order.len()) {
                        let o = order[k - 1];
                        if current != Some(k) {
                            close(&mut s, clock, step.line);
                            s.ops.push(StripOp {
                                id: o.id.clone(),
                                title: o.title.clone(),
                                word: o.kind.word().into(),
                                tool: o.tool,
                                start: clock,
                                end: clock,
                                lines: [step.line, step.line],
                            });
                            current = Some(k);
                        }
                    }
                    continue;
                }
                clock += load.seconds;
                if load.seconds <= 0.0 {
                    continue;
                }
                let minutes = load.seconds / 60.0;
                let feed = if let StepKind::Feed { feed } = step.kind { feed } else { 0.0 };
                match step.kind {
                    StepKind::ToolChange => s.ledger.changes += minutes,
                    StepKind::Feed { .. } if load.volume > 1e-4 => s.ledger.cutting += minutes,
                    _ => s.ledger.air += minutes,
                }
                if step.moves() {
                    let gauge = input.tools.iter().find(|t| t.number == step.tool).map_or(0.0, |t| t.gauge_length());
                    at = if step.machine {
                        // G53 says where the spindle's nose is; the cutter hangs below it.
                        [at[0], at[1], step.to.z - input.zero_in_machine.z - gauge]
                    } else {
                        step.to.to_array()
                    };
                }
                let op = current.map(|k| order[k - 1]);
                let rate = load.volume / minutes;
                let drilled = op.and_then(|o| o.drill.as_ref()).filter(|_| load.volume > 1e-4 && feed > 0.0);
                let kw = match drilled {
                    Some(d) => d.torque_nm * d.rpm.value / 9550.0,
                    None => op.map_or(0.0, kw_per_rate) * rate,
                };
                s.line.push(step.line);
                s.end.push(short(clock));
                s.tool.push(step.tool);
                s.power.push(short(kw));
                s.engagement.push(load.engagement.to_degrees().round());
                s.feed.push(feed.round());
                s.x.push(short(at[0]));
                s.y.push(short(at[1]));
                s.z.push(short(at[2]));
                s.arc.push(match step.shape {
                    Shape::Arc { center, sweep } if step.moves() => [short(center.x), short(center.y), short(sweep)],
                    _ => [0.0; 3],
                });
            }
            let last = input.program.steps.last().map_or(1, |s| s.line);
            close(&mut s, clock, last + 1);
            s.seconds = clock;
            s
        })
        .collect();
    Strip { usable_kw: shop.machine.most_usable_kw(), setups: list }
}

fn close(s: &mut StripSetup, clock: f64, next_line: u32) {
    if let Some(o) = s.ops.last_mut() {
        o.end = clock;
        o.lines[1] = next_line.saturating_sub(1).max(o.lines[0]);
    }
}

/// Number of the operation that a comment "STEP 3: …" opens.
fn step_number(text: &str) -> Option<usize> {
    let t = text.trim_start();
    let rest = t.strip_prefix("STEP ").or_else(|| t.strip_prefix("step "))?;
    rest.split(':').next()?.trim().parse().ok()
}
