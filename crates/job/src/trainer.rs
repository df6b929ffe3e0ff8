//! The trainer: a fault is hidden in what a machine would be run by, in the text of a program or on the card. Whoever reads card, text and strip says what is
//! wrong and where. What is hidden is proved to be a fault first: the proof of what would be cut stops, where that of the plan does not.

use crate::cache::Desk;
use crate::proving::{judged_as, limits_of, setups_of};
use crate::sheet::{StripSetup, history_bytes, strip};
use crate::what_if::{Change, later_follow, neighbours, shifted, told};
use crate::{JobError, Plan};
use fastrand::Rng;
use geom::DVec3;
use holding::Datum;
use part::Part;
use program::{Slip, Slipped, anchor, sites, slipped};
use proof::{Proof, SetupInput};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::tool::Tool;
use ts_rs::TS;

/// What may be wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Wrong {
    /// A cut goes deeper than it should.
    Depth,
    /// The minus of a coordinate is lost.
    Sign,
    /// The point of a feed is one place off.
    Feed,
    /// The point of a speed is one place off.
    Speed,
    /// It goes down at rapid where it should feed.
    Rapid,
    /// An arc goes the other way round.
    Arc,
    /// Another cutter's length offset.
    Length,
    /// The coolant is not turned on.
    Coolant,
    /// A step is not there.
    LeftOut,
    /// Two steps have changed places.
    Order,
    /// The card lists another cutter than the text was made for.
    Cutter,
    /// The card has a zero touched elsewhere than the text was made for.
    Zero,
    /// All is as it should be.
    Nothing,
}

impl From<Slip> for Wrong {
    fn from(s: Slip) -> Wrong {
        match s {
            Slip::Depth => Wrong::Depth,
            Slip::Sign => Wrong::Sign,
            Slip::Feed => Wrong::Feed,
            Slip::Speed => Wrong::Speed,
            Slip::Rapid => Wrong::Rapid,
            Slip::Arc => Wrong::Arc,
            Slip::Length => Wrong::Length,
            Slip::Coolant => Wrong::Coolant,
            Slip::LeftOut => Wrong::LeftOut,
            Slip::Order => Wrong::Order,
        }
    }
}

/// On which step of a setup's card a fault stands: the last part of the step's name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum CardStep {
    /// The list of cutters.
    Cutters,
    /// Finding zero.
    ZeroX,
    /// See `ZeroX`.
    ZeroY,
    /// See `ZeroX`.
    ZeroZ,
}

/// What is wrong, and what comes of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Truth {
    /// Sort.
    pub wrong: Wrong,
    /// First and last line of the text that one may point at, from 1; none where it is not in the text.
    #[serde(default)]
    pub lines: Option<[u32; 2]>,
    /// Step of the card that it stands on, where it is on the card.
    #[serde(default)]
    pub step: Option<CardStep>,
    /// As it should be.
    pub was: String,
    /// As it is.
    pub is: String,
    /// What comes of it at the machine; nothing where nothing is wrong.
    pub spoiled: String,
    /// How bad that is: 0 nothing, 1 the part is off, 2 something breaks.
    pub gravity: u8,
    /// Line at which it shows, where that is told.
    #[serde(default)]
    pub shows_at: Option<u32>,
}

/// What somebody says is wrong.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Said {
    /// Sort.
    pub wrong: Wrong,
    /// A line of the text, from 1.
    #[serde(default)]
    pub line: Option<u32>,
    /// A step of the card.
    #[serde(default)]
    pub step: Option<CardStep>,
}

/// What that is worth.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Marks {
    /// 0 to 100: half for what it is, half for where.
    pub points: u32,
    /// It is that.
    pub what: bool,
    /// It is there.
    pub place: bool,
}

impl Truth {
    /// Marks for what somebody said. Where nothing is wrong there is no place: all or nothing.
    pub fn marks(&self, said: &Said) -> Marks {
        let what = said.wrong == self.wrong;
        let place = match (self.lines, self.step) {
            _ if said.wrong == Wrong::Nothing || self.wrong == Wrong::Nothing => what,
            (Some([first, last]), _) => said.line.is_some_and(|l| (first..=last).contains(&l)),
            (None, step) => step.is_some() && said.step == step,
        };
        Marks { points: 50 * (u32::from(what) + u32::from(place)), what, place }
    }
}

/// A round: what is read in it, and the truth.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Round {
    /// Which setup of the plan, from 0.
    pub setup: usize,
    /// Its text.
    pub program: String,
    /// Cutters as the card lists them.
    pub tools: Vec<Tool>,
    /// Zeros as the card has them.
    pub datum: Vec<Datum>,
    /// The strip of this setup, as the text would cut.
    pub strip: StripSetup,
    /// Power that may be counted on, kW.
    pub usable_kw: f64,
    /// The stock as the text would cut it, as it is kept.
    pub history: Vec<u8>,
    /// What is wrong.
    pub truth: Truth,
}

/// One round in so many has nothing wrong: who always cries is not right.
const CLEAN: usize = 8;
/// So many faults are tried until one is bad enough.
const TRIES: usize = 10;

/// A fault in the making.
enum Hidden {
    Text(Box<Slipped>),
    Cutter(usize, Box<Tool>),
    Zero { datum: usize, words: String, off: DVec3 },
}

/// Words that stand for opposite places, in the order in which they are looked for.
const OPPOSITE: [(&str, &str); 4] =
    [("left", "right"), ("front", "back"), ("fixed jaw", "moving jaw"), ("top of the parallels", "top of the block")];

/// A zero touched at the other end, in words.
fn other_end(words: &str) -> Option<String> {
    for (a, b) in OPPOSITE {
        for (from, to) in [(a, b), (b, a)] {
            let capital = |w: &str| w[..1].to_uppercase() + &w[1..];
            for (from, to) in [(from.to_string(), to.to_string()), (capital(from), capital(to))] {
                if words.contains(&from) {
                    return Some(words.replacen(&from, &to, 1));
                }
            }
        }
    }
    None
}

/// What may be hidden in a setup: groups of one sort each.
fn hidden(plan: &Plan, k: usize, setup: &SetupInput, shop: &Shop, rng: &mut Rng) -> Vec<Vec<Hidden>> {
    let side = &plan.sides[k];
    let mut groups: Vec<(Slip, Vec<program::Site>)> = Vec::new();
    for s in sites(&side.program, &setup.program, &side.promises.promises, &side.control.dialect) {
        match groups.iter_mut().find(|g| g.0 == s.slip) {
            Some(g) => g.1.push(s),
            None => groups.push((s.slip, vec![s])),
        }
    }
    let mut out = Vec::new();
    for (_, mut all) in groups {
        rng.shuffle(&mut all);
        all.truncate(2);
        out.push(all.iter().map(|s| Hidden::Text(Box::new(slipped(&side.program, s)))).collect());
    }
    // On the card only where the text says it too: else nobody could see it.
    if side.control.dialect.comments != shop::dialect::Comments::None {
        let mut cutters: Vec<Hidden> = Vec::new();
        for (n, t) in side.tools.iter().enumerate() {
            let others = neighbours(shop, t).into_iter().flatten();
            cutters.extend(others.map(|o| Hidden::Cutter(n, Box::new(Tool { number: t.number, ..o.clone() }))));
        }
        rng.shuffle(&mut cutters);
        cutters.truncate(2);
        let lies = setup.part_from_work.inverse().bounds(&plan.scheme.stock);
        let zeros = side.setup.datum.iter().enumerate().filter_map(|(n, d)| {
            let axis = ["X", "Y", "Z"].iter().position(|a| *a == d.axis)?;
            let words = other_end(&d.touches)?;
            let at = d.touched.map_or(0.0, |t| t.at_mm);
            let [near, far] = match (lies.min[axis], lies.max[axis]) {
                (a, b) if (a - at).abs() <= (b - at).abs() => [a, b],
                (a, b) => [b, a],
            };
            let mut off = DVec3::ZERO;
            off[axis] = far - near;
            Some(Hidden::Zero { datum: n, words, off })
        });
        let mut zeros: Vec<Hidden> = zeros.collect();
        rng.shuffle(&mut zeros);
        out.extend([cutters, zeros]);
    }
    out.retain(|g| !g.is_empty());
    rng.shuffle(&mut out);
    out
}

/// The proof with a fault, its setups, and the plan whose text it is where it is one of the text.
fn with_fault(
    part: &Part,
    plan: &Plan,
    setups: &[SetupInput],
    k: usize,
    h: &Hidden,
    shop: &Shop,
) -> Option<(Proof, Vec<SetupInput>, Option<Plan>)> {
    let judge =
        |plan: &Plan, stock, s: &[SetupInput]| judged_as(part, plan, shop, stock, s, &[], &reason::Watch::nobody());
    let stock = plan.scheme.stock;
    match h {
        Hidden::Text(slip) => {
            let mut other = plan.clone();
            let side = &mut other.sides[k];
            let posted = program::Posted {
                text: side.program.clone(),
                promises: side.promises.promises.clone(),
                moves: Vec::new(),
            };
            side.promises = anchor(&posted, &slip.text);
            side.program.clone_from(&slip.text);
            // What no control would take is no round.
            let changed = setups_of(&other).ok()?;
            Some((judge(&other, stock, &changed), changed, Some(other)))
        }
        Hidden::Cutter(n, t) => {
            let mut changed = setups.to_vec();
            changed[k].tools[*n] = (**t).clone();
            Some((judge(plan, stock, &changed), changed, None))
        }
        Hidden::Zero { off, .. } => {
            let follow = later_follow(part, plan, setups);
            let (changed, block) =
                shifted(setups, &stock, k, &Change::Zero(*off), follow, shop.machine.feed_max_mm_min);
            Some((judge(plan, block, &changed), changed, None))
        }
    }
}

/// Hide a fault in a plan that is proved; `own` is its proof.
///
/// # Errors
/// Stopped; a plan that is not proved; a program of it that cannot be read.
pub fn round(part: &Part, plan: &Plan, own: &Proof, shop: &Shop, seed: u64, desk: &Desk) -> Result<Round, JobError> {
    let mut rng = Rng::with_seed(seed);
    let setups = setups_of(plan)?;
    desk.tell("trainer", 0.0)?;
    if !own.passed() {
        return Err(JobError::NotProved);
    }
    let k = rng.usize(0..setups.len());
    let side = &plan.sides[k];
    let whole =
        |setup: &[SetupInput], plan: &Plan, proof: &Proof, tools: Vec<Tool>, datum: Vec<Datum>, truth: Truth| {
            let all = strip(plan, proof, shop);
            let scheme = &plan.scheme;
            let motion = limits_of(&shop.machine).motion;
            let histories = proof::histories(&scheme.stock, scheme.bar.as_ref(), &setup[..=k], &motion, COLUMNS);
            Round {
                setup: k,
                program: plan.sides[k].program.clone(),
                tools,
                datum,
                usable_kw: all.usable_kw,
                strip: all.setups.get(k).cloned().unwrap_or_default(),
                history: histories.last().map(history_bytes).unwrap_or_default(),
                truth,
            }
        };
    let clean = || {
        let (was, is, spoiled) = (String::new(), String::new(), String::new());
        let truth =
            Truth { wrong: Wrong::Nothing, lines: None, step: None, was, is, spoiled, gravity: 0, shows_at: None };
        whole(&setups, plan, own, side.tools.clone(), side.setup.datum.to_vec(), truth)
    };
    if rng.usize(0..CLEAN) == 0 {
        return Ok(clean());
    }
    let mut tried = 0;
    let groups = hidden(plan, k, &setups[k], shop, &mut rng);
    for h in groups.iter().flatten() {
        if tried == TRIES {
            break;
        }
        tried += 1;
        desk.tell("trainer", tried as f64 / (TRIES + 1) as f64)?;
        let Some((proof, changed, other)) = with_fault(part, plan, &setups, k, h, shop) else { continue };
        let t = told(own, &proof, &changed, Some(k), false);
        if t.gravity == 0 {
            continue;
        }
        let shows_at = t.at.filter(|a| a.0 == k).map(|a| a.1);
        let truth = |wrong, lines, step, was: &str, is: &str| Truth {
            wrong,
            lines,
            step,
            was: was.into(),
            is: is.into(),
            spoiled: t.spoiled.clone(),
            gravity: t.gravity,
            shows_at,
        };
        let (mut tools, mut datum) = (side.tools.clone(), side.setup.datum.to_vec());
        return Ok(match (h, &other) {
            (Hidden::Text(s), Some(other)) => {
                let truth = truth(s.slip.into(), Some(s.lines), None, &s.was, &s.is);
                whole(&changed, other, &proof, tools, datum, truth)
            }
            (Hidden::Cutter(n, t), _) => {
                let was = format!("T{} {}", t.number, tools[*n].words());
                tools[*n] = (**t).clone();
                let is = format!("T{} {}", t.number, t.words());
                let truth = truth(Wrong::Cutter, None, Some(CardStep::Cutters), &was, &is);
                whole(&setups, plan, own, tools, datum, truth)
            }
            (Hidden::Zero { datum: n, words, .. }, _) => {
                let was = std::mem::replace(&mut datum[*n].touches, words.clone());
                let step = match datum[*n].axis.as_str() {
                    "X" => CardStep::ZeroX,
                    "Y" => CardStep::ZeroY,
                    _ => CardStep::ZeroZ,
                };
                let truth = truth(Wrong::Zero, None, Some(step), &was, words);
                whole(&setups, plan, own, tools, datum, truth)
            }
            (Hidden::Text(_), None) => continue,
        });
    }
    Ok(clean())
}

/// Columns of the picture.
const COLUMNS: f64 = 14_000.0;

#[cfg(test)]
mod tests {
    use super::*;

    fn truth(wrong: Wrong, lines: Option<[u32; 2]>, step: Option<CardStep>) -> Truth {
        let none = String::new;
        Truth { wrong, lines, step, was: none(), is: none(), spoiled: none(), gravity: 2, shows_at: None }
    }

    #[test]
    fn half_for_what_half_for_where() {
        let said = |wrong, line, step| Said { wrong, line, step };
        let in_text = truth(Wrong::Depth, Some([40, 40]), None);
        let points = |t: &Truth, s: Said| t.marks(&s).points;
        assert_eq!(points(&in_text, said(Wrong::Depth, Some(40), None)), 100);
        assert_eq!(points(&in_text, said(Wrong::Depth, Some(41), None)), 50);
        assert_eq!(points(&in_text, said(Wrong::Rapid, Some(40), None)), 50);
        assert_eq!(points(&in_text, said(Wrong::Rapid, None, Some(CardStep::ZeroX))), 0);
        assert_eq!(points(&in_text, said(Wrong::Nothing, Some(40), None)), 0);
        let on_card = truth(Wrong::Zero, None, Some(CardStep::ZeroX));
        assert_eq!(points(&on_card, said(Wrong::Zero, None, Some(CardStep::ZeroX))), 100);
        assert_eq!(points(&on_card, said(Wrong::Zero, Some(3), Some(CardStep::ZeroY))), 50);
        let clean = truth(Wrong::Nothing, None, None);
        assert_eq!(points(&clean, said(Wrong::Nothing, None, None)), 100);
        assert_eq!(points(&clean, said(Wrong::Feed, Some(3), None)), 0);
    }

    #[test]
    fn zeros_have_another_end() {
        let other = |w: &str| other_end(w).unwrap_or_default();
        assert_eq!(
            other("vise stop at the sawn left end of the block"),
            "vise stop at the sawn right end of the block"
        );
        assert_eq!(other("Face of the fixed jaw"), "Face of the moving jaw");
        assert_eq!(other("Top of the parallels"), "Top of the block");
        assert_eq!(other("bore of 12 mm"), "");
    }
}
