//! Order of operations: what each needs to have gone before, and a person's changes of order.

use crate::op::{OpKind, Operation};
use geom::DVec2;
use path::motion::{Move, turn_of};
use reason::Sure;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashSet};
use ts_rs::TS;

/// One operation needs another before it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Need {
    /// Id of what has to go first.
    pub first: String,
    /// Why.
    pub why: String,
}

/// A path (of a cutter's middle) this near a hole may cut the wall beside it, mm.
const BESIDE: f64 = 15.0;

/// Side of the cells in which it is kept where a cutter has been, mm.
const CELL: f64 = 2.0;

struct Reach {
    min: DVec2,
    max: DVec2,
    holes: Vec<DVec2>,
    /// Cells that the cutter's disc touches.
    cells: HashSet<(i32, i32)>,
}

impl Reach {
    /// Do both cut over one place?
    fn meets(&self, other: &Reach) -> bool {
        let boxes = self.min.cmple(other.max).all() && other.min.cmple(self.max).all();
        let (few, many) = if self.cells.len() < other.cells.len() {
            (&self.cells, &other.cells)
        } else {
            (&other.cells, &self.cells)
        };
        boxes && few.iter().any(|c| many.contains(c))
    }
    fn see(&mut self, p: DVec2, radius: f64) {
        let r = DVec2::splat(radius);
        self.min = self.min.min(p - r);
        self.max = self.max.max(p + r);
        let cell = |v: f64| (v / CELL).floor() as i32;
        for i in cell(p.x - radius)..=cell(p.x + radius) {
            for j in cell(p.y - radius)..=cell(p.y + radius) {
                let low = DVec2::new(f64::from(i), f64::from(j)) * CELL;
                if p.distance(p.clamp(low, low + CELL)) <= radius {
                    self.cells.insert((i, j));
                }
            }
        }
    }
}

/// Diameter of a milling operation's cutter, mm; 0 of others.
fn diameter(o: &Operation) -> f64 {
    o.mill.as_ref().map_or(0.0, |m| m.diameter)
}

fn reach(op: &Operation) -> Reach {
    let mut out = Reach { min: DVec2::INFINITY, max: DVec2::NEG_INFINITY, holes: Vec::new(), cells: HashSet::new() };
    let radius = diameter(op) / 2.0;
    let mut here: Option<DVec2> = None;
    for m in op.path.iter().flat_map(|p| &p.moves) {
        match m {
            Move::Feed { to, .. } => {
                let to = to.truncate();
                let from = here.unwrap_or(to);
                let n = (from.distance(to) / CELL).ceil().at_least(1.0) as usize;
                (0..=n).for_each(|k| out.see(from.lerp(to, k as f64 / n as f64), radius));
                here = Some(to);
            }
            Move::Arc { to, center, ccw, .. } => {
                let to = to.truncate();
                let (from, r) = (here.unwrap_or(to) - *center, center.distance(to));
                let turn = turn_of(from, to - *center, *ccw);
                let n = (turn.abs() * r / CELL).ceil().at_least(1.0) as usize;
                for k in 0..=n {
                    out.see(*center + from.rotate(DVec2::from_angle(turn * k as f64 / n as f64)), radius);
                }
                here = Some(to);
            }
            Move::Drill { at, .. } => {
                at.iter().for_each(|&p| out.see(p, radius));
                out.holes.extend(at);
            }
            Move::Rapid { to } => {
                // A thread mill comes down in the middle of its hole.
                if op.kind == OpKind::Thread && out.holes.last() != Some(&to.truncate()) {
                    out.holes.push(to.truncate());
                }
                here = Some(to.truncate());
            }
            Move::State { .. } => {}
        }
    }
    out
}

/// The piece an operation belongs to: its id without kind and cutter.
fn piece(op: &Operation) -> &str {
    let key = op.id.split_once(':').map_or("", |p| p.1);
    match op.kind {
        OpKind::Rough | OpKind::Open | OpKind::Floor => key.rsplit_once('/').map_or(key, |p| p.0),
        _ => key,
    }
}

fn why(a: &Operation, b: &Operation, ra: &Reach, rb: &Reach) -> Option<&'static str> {
    use OpKind::{Chamfer, Drill, Face, Floor, Open, Ream, Rough, Spot, Tap, Thread, Undercut, Wall};
    let shared = || rb.holes.iter().any(|p| ra.holes.iter().any(|q| p.distance(*q) < 0.01));
    let meet = ra.meets(rb);
    let near = (ra.min - BESIDE).cmple(rb.max).all() && (rb.min - BESIDE).cmple(ra.max).all();
    let same = piece(a) == piece(b);
    match (a.kind, b.kind) {
        (Open, Face) => Some("What is thin over a hollow is opened before a face cutter would tear it off"),
        (Open, _) | (Face, Open) => None,
        (Face, _) => Some("Everything below is measured and cut from the clean face"),
        (Rough, Rough) if same => Some("The smaller cutter only takes what the larger left"),
        // A cutter's own floors may follow its roughing, though a smaller one still has the corners to clear.
        (Rough, Floor) if same && diameter(a) < diameter(b) - 1e-9 => None,
        (Rough, Floor | Wall) if same => Some("Finishing takes a thin skin; the bulk goes first"),
        (Floor, Wall) if same => Some("The wall's lead-in runs over the finished floor"),
        // What a smaller cutter takes out of corners is not in the way of a larger one, which has been above itself.
        (Rough, Rough | Floor | Wall | Drill | Spot)
            if meet && b.top <= a.bottom + 0.2 && diameter(a) >= diameter(b) - 1e-9 =>
        {
            Some("What lies above it goes first")
        }
        (Rough | Floor | Wall, Undercut) if meet => Some("What opens it from above goes first: the neck passes there"),
        (Spot, Drill) if shared() => Some("The spot leads the drill"),
        (Drill, Ream) if shared() => Some("The drill leaves the reamer its allowance"),
        (Drill, Tap | Thread) if shared() => Some("The thread's core is there first"),
        (Rough | Wall | Floor, Ream | Tap | Thread) if meet && a.bottom < b.top - 0.2 => {
            Some("Threads and fits come late: what could push the piece is cut before them")
        }
        (Chamfer, Tap | Thread | Ream) if meet => Some("Its mouth is broken first, so that it begins clean"),
        (Spot | Drill, Rough | Wall) if a.early && near => {
            Some("A hole beside a thin wall is finished while there is material behind it")
        }
        (Rough | Wall | Drill | Undercut, Chamfer) if meet && a.top >= b.bottom - 0.2 => {
            Some("An edge is broken when the faces that make it are there")
        }
        _ => None,
    }
}

/// What each operation needs, in the order given; a later one that is needed counts as well.
pub fn needs(ops: &[Operation]) -> BTreeMap<String, Vec<Need>> {
    let reaches: Vec<Reach> = ops.iter().map(reach).collect();
    let mut out = BTreeMap::new();
    for (j, b) in ops.iter().enumerate() {
        let mut list = Vec::new();
        for (i, a) in ops.iter().enumerate() {
            let rest = a.kind == OpKind::Rough && b.kind == OpKind::Rough && piece(a) == piece(b);
            if i == j || (rest && diameter(a) <= diameter(b)) {
                continue;
            }
            if let Some(why) = why(a, b, &reaches[i], &reaches[j]) {
                list.push(Need { first: a.id.clone(), why: why.into() });
            }
        }
        if !list.is_empty() {
            out.insert(b.id.clone(), list);
        }
    }
    out
}

/// One operation taken to directly before another.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Moved {
    /// The one that moves.
    pub id: String,
    /// The one that it then stands before.
    pub before: String,
}

/// Operations after moves made one after the other. Gives back the moves that name an operation which is not there.
pub fn reordered(mut ops: Vec<Operation>, moves: &[Moved]) -> (Vec<Operation>, Vec<Moved>) {
    let mut lost = Vec::new();
    for m in moves {
        let Moved { id, before } = m;
        let from = ops.iter().position(|o| o.id == *id);
        let there = ops.iter().any(|o| o.id == *before);
        let (Some(from), true, true) = (from, there, id != before) else {
            lost.push(m.clone());
            continue;
        };
        let op = ops.remove(from);
        let to = ops.iter().position(|o| o.id == *before).unwrap_or(ops.len());
        ops.insert(to, op);
    }
    (ops, lost)
}

/// Needs that the order breaks: (operation, what it needs and comes too late).
pub fn broken(ops: &[Operation]) -> Vec<(usize, Need)> {
    let needs = needs(ops);
    let place = |id: &str| ops.iter().position(|o| o.id == id);
    ops.iter()
        .enumerate()
        .flat_map(|(k, o)| needs.get(&o.id).into_iter().flatten().map(move |n| (k, n.clone())))
        .filter(|(k, n)| place(&n.first).is_some_and(|p| p > *k))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use path::motion::{Coolant, Cycle, Toolpath};

    fn op(kind: OpKind, key: &str, (bottom, top): (f64, f64), at: DVec2) -> Operation {
        let id = format!("{}:{key}", kind.word());
        let m = match kind {
            OpKind::Spot | OpKind::Drill | OpKind::Tap => {
                Move::Drill { at: vec![at], clear: 9.0, start: top, bottom, cycle: Cycle::Plain, feed: 1.0 }
            }
            _ => Move::Feed { to: at.extend(bottom), feed: 1.0 },
        };
        Operation {
            id: id.clone(),
            kind,
            title: id.clone(),
            tool: 1,
            bottom,
            top,
            order_why: String::new(),
            over: None,
            early: false,
            after_stop: 0,
            cutter_why: vec![],
            mill: None,
            drill: None,
            path: Some(Toolpath {
                op: id.clone(),
                title: id,
                tool: 1,
                rpm: 1.0,
                coolant: Coolant::Dry,
                engagement_limit: None,
                power_kw: None,
                moves: vec![m],
            }),
        }
    }

    #[test]
    fn needs_are_found_and_a_broken_order_is_told() {
        let p = DVec2::new(5.0, 5.0);
        let ops = vec![
            op(OpKind::Face, "s", (10.0, 11.0), p),
            op(OpKind::Rough, "s/a/6", (4.0, 10.0), p),
            op(OpKind::Wall, "s/a", (4.0, 10.0), p),
            op(OpKind::Spot, "s/x", (3.0, 4.0), p),
            op(OpKind::Drill, "s/y", (0.0, 4.0), p),
            op(OpKind::Drill, "s/z", (0.0, 10.0), DVec2::new(50.0, 5.0)),
        ];
        let n = needs(&ops);
        let firsts = |k: usize| n[&ops[k].id].iter().map(|n| n.first.as_str()).collect::<Vec<_>>();
        assert_eq!(firsts(2), ["face:s", "rough:s/a/6"]);
        assert_eq!(firsts(4), ["face:s", "rough:s/a/6", "spot:s/x"]);
        assert_eq!(firsts(5), ["face:s"]);
        assert!(broken(&ops).is_empty());
        let (ids, before) = (ops[4].id.clone(), ops[3].id.clone());
        let (moved, lost) =
            reordered(ops.clone(), &[Moved { id: ids, before }, Moved { id: "gone".into(), before: "face:s".into() }]);
        assert_eq!(lost.iter().map(|m| m.id.as_str()).collect::<Vec<_>>(), ["gone"]);
        let b = broken(&moved);
        assert_eq!((b.len(), b[0].0, b[0].1.first.as_str()), (1, 3, "spot:s/x"));
    }
}
