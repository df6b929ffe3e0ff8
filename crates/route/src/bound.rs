//! The least that a side can take: what every plan is measured against.
//!
//! For each region its volume ÷ the rate of the largest cutter that fits and is allowed there; walls, floors, holes and chamfers at their feeds without any
//! way between them; and the fewest calls of cutters. No air, no lifts, no corners: a good plan takes less than twice as long. (A plan can
//! come a few hundredths below it: a wall that is cut with its neighbour's pass is counted twice.)

use crate::op::{OpKind, Operation};
use crate::pockets::{COARSE, FLOOR_WIDTH, Job};
use crate::setup::{FLOOR_SKIN, ROUGH_BEND, Side, WALL_SKIN, Work};
use cutting::{MillTask, mill};
use geom::{DVec2, DVec3, Region};
use path::motion::Move;
use reason::{Sure, Term};
use shop::tool::{Tool, ToolKind};
use std::collections::BTreeSet;
use std::f64::consts::FRAC_PI_2;

/// Widths that are tried for the highest rate, ÷ diameter.
const WIDTHS: [f64; 6] = [0.1, 0.25, 0.35, 0.5, 0.75, 0.93];

/// The least minutes of a side.
#[derive(Debug, Clone, PartialEq)]
pub struct Bound {
    /// All together, min.
    pub minutes: f64,
    /// Facing, roughing, floors, walls, holes, chamfers, calls: min each.
    pub terms: Vec<Term>,
}

/// The highest rate of a cutter at a depth within all its limits, mm³/min.
fn rate(side: &Side, tool: &Tool, depth: f64) -> f64 {
    let of = |share: f64| {
        let task = MillTask {
            depth: if depth < 2.0 * tool.diameter_mm { depth } else { 2.0 * tool.diameter_mm },
            width: share * tool.diameter_mm,
            bend: ROUGH_BEND,
            feed_share: 1.0,
            kappa: FRAC_PI_2,
            cuts_at: None,
            finish: false,
            most_n: side.most_n,
        };
        let d = mill(&task, tool, side.material, &side.shop.machine);
        d.ap.value * d.ae * d.feed.value
    };
    WIDTHS.into_iter().map(of).fold(0.0, |a, r| if r > a { r } else { a })
}

/// Minutes of an operation's motion at feed, without rapids.
fn at_feed(o: &Operation) -> f64 {
    let mut here = DVec3::ZERO;
    let mut minutes = 0.0;
    for m in o.path.iter().flat_map(|p| &p.moves) {
        let (way, to) = m.way(here);
        if let Move::Feed { feed, .. } | Move::Arc { feed, .. } | Move::Drill { feed, .. } = m {
            minutes += way / feed;
        }
        here = to;
    }
    minutes
}

/// What a finishing pass of a job's cutter does: mm/min.
fn finish_feed(side: &Side, tool: &Tool, width: f64, depth: f64) -> (f64, f64) {
    let task = MillTask {
        depth,
        width,
        bend: crate::setup::FINISH_BEND,
        feed_share: crate::setup::FINISH_SHARE,
        kappa: FRAC_PI_2,
        cuts_at: None,
        finish: true,
        most_n: side.most_n,
    };
    let d = mill(&task, tool, side.material, &side.shop.machine);
    (d.feed.value, d.ap.value)
}

impl Work<'_, '_> {
    fn volume_over(&self, region: &Region, low: f64) -> f64 {
        let over = |(a, b, s): (f64, f64, &Region)| {
            let a = if a > low { a } else { low };
            if b > a { s.intersect(region).area() * (b - a) } else { 0.0 }
        };
        self.stock.parts().map(over).sum()
    }

    /// Roughing, floor and wall of one region.
    fn least_of(&mut self, j: &Job, calls: &mut BTreeSet<u32>) -> [f64; 3] {
        let side = self.side;
        let volume = self.volume_over(&j.goal.intersect(&j.open), j.low);
        let best = j.rough.iter().map(|t| (t, rate(side, t, j.high - j.low))).max_by(|a, b| a.1.total_cmp(&b.1));
        let rough = best.map_or(0.0, |(t, rate)| {
            calls.insert(t.number);
            volume / rate
        });
        calls.insert(j.finish.number);
        let floor = if j.floor {
            let t = j.rough.first().unwrap_or(&j.finish);
            let area = self.stock.between(j.low, j.low + FLOOR_SKIN).intersect(&j.open).intersect(&j.goal);
            let area = area.minus(&j.deeper).area();
            area / (FLOOR_WIDTH * t.diameter_mm * finish_feed(side, t, FLOOR_WIDTH * t.diameter_mm, FLOOR_SKIN).0)
        } else {
            0.0
        };
        let rings: Vec<Vec<DVec2>> = j.shadow.loops().into_iter().map(closed).collect();
        let length: f64 = j.goal.grown(0.3, COARSE).clip_lines(&rings, true).iter().map(|l| long(l)).sum();
        let height = Sure::at_least(j.wall_top - j.low, j.high - j.low);
        let most = 2.0 * j.finish.diameter_mm;
        let (feed, ap) = finish_feed(side, &j.finish, WALL_SKIN, if height < most { height } else { most });
        let wall = length * (height / ap).ceil() / feed;
        self.stock.cut(&j.goal.intersect(&j.open), j.low);
        [rough, floor, wall]
    }
}

fn closed(mut l: Vec<DVec2>) -> Vec<DVec2> {
    l.extend(l.first().copied());
    l
}

fn long(l: &[DVec2]) -> f64 {
    l.windows(2).map(|w| w[0].distance(w[1])).sum()
}

/// The least minutes of a side, with what they are made of.
pub fn bound(side: &Side) -> Bound {
    let mut w = Work::of(side);
    let mut calls = BTreeSet::new();
    let mut face = 0.0;
    if w.mine.is_none() {
        let material = w.stock.between(w.top, f64::INFINITY);
        let volume = w.volume_over(&material, w.top);
        let wide = |t: &&Tool| t.kind == ToolKind::Face || t.kind == ToolKind::Flat;
        let depth = w.stock.top() - w.top;
        let tools = side.shop.crib.iter().filter(wide).map(|t| (t.number, rate(side, t, depth)));
        if volume > 1e-6
            && let Some((number, rate)) = tools.max_by(|a, b| a.1.total_cmp(&b.1))
        {
            calls.insert(number);
            face = volume / rate;
            w.stock.cut(&material.grown(1.0, 0.01), w.top);
        }
    }
    let drilled = w.choose_holes();
    let [mut rough, mut floors, mut walls] = [0.0; 3];
    for j in w.jobs(&drilled) {
        let [r, f, l] = w.least_of(&j, &mut calls);
        rough += r;
        floors += f;
        walls += l;
    }
    w.drill(&drilled.iter().collect::<Vec<_>>(), false);
    let holes: f64 = w.ops.iter().map(at_feed).sum();
    let n = w.ops.len();
    w.chamfers();
    let chamfers: f64 = w.ops[n..].iter().filter(|o| o.kind == OpKind::Chamfer).map(at_feed).sum();
    let n = w.ops.len();
    w.finish_holes(&drilled);
    let threads: f64 = w.ops[n..].iter().map(at_feed).sum();
    calls.extend(w.ops.iter().map(|o| o.tool));
    let change = calls.len() as f64 * side.shop.machine.tool_change_min;
    let all = [
        ("facing", "volume over the part ÷ the highest rate of the crib", face),
        ("roughing", "each region's volume ÷ the highest rate of a cutter that fits", rough),
        ("floors", "area ÷ width and feed", floors),
        ("walls", "length × levels ÷ feed", walls),
        ("holes", "spots and drills at feed", holes),
        ("chamfers", "at feed", chamfers),
        ("threads", "threads and fits at feed", threads),
        ("calls", "the fewest cutters × the machine's minutes", change),
    ];
    Bound {
        minutes: all.iter().map(|a| a.2).sum(),
        terms: all.into_iter().map(|(s, m, v)| Term::new(s, m, v, "min")).collect(),
    }
}
