//! Operations and paths of one setup: what a duty says to the planner of a side, what is kept of it, and what one setup leaves to another.

use crate::cache::{Desk, StageKey, cached};
use crate::error::JobError;
use crate::made;
use crate::told;
use geom::{Bar, Box3, DVec2, DVec3, Region, Remains, Slabs};
use holding::{Duty, Setup};
use part::{Part, View};
use reason::{Finding, Sure};
use route::{Operation, Override, Point, SetupRoute, Side, plan_side};
use serde::{Deserialize, Serialize};
use shop::Shop;
use std::cell::OnceCell;
use std::collections::BTreeMap;

/// Below the part's bottom the first side cuts this far, mm: more than the last pass that decks the hat off.
const BELOW: f64 = 0.4;

/// Lighter cuts are tried so often.
const GENTLER: usize = 3;

/// What the planning of every setup reads.
pub(crate) struct EachSetup<'a> {
    pub part: &'a Part,
    pub shop: &'a Shop,
    pub material: &'a shop::machine::Material,
    pub block: Box3,
    pub bar: Option<Bar>,
    pub intents: &'a [part::Intent],
    pub early: Vec<[DVec3; 2]>,
    pub rough_first: bool,
    pub fine: f64,
    pub points_deeper: bool,
    pub uneven: Option<f64>,
    /// Up in tilted setups, part coordinates.
    pub tilted: Vec<DVec3>,
    pub changes: BTreeMap<String, Override>,
    pub fits: bool,
    pub desk: &'a Desk<'a>,
}

impl EachSetup<'_> {
    /// Force across a cutter that the hold bears anywhere on the piece as it stands, N.
    fn most_side(&self, held: &Setup, there: impl FnOnce() -> f64) -> f64 {
        // Cutters go round the outside.
        const AROUND: f64 = 12.0;
        let b = held.part_from_work.inverse().bounds(&self.part.bounds);
        let around = DVec3::new(AROUND, AROUND, 0.0);
        let mut b = Box3 { min: b.min - around, max: b.max + around };
        if held.hold.most_side(&b).is_infinite() {
            return f64::INFINITY;
        }
        b.max.z = there();
        held.hold.most_side(&b)
    }
    /// The operations of a setup from stop to stop of its program, with their key and the stock that they leave. The inner error says why it cannot be held as the stock
    /// then is.
    pub fn through_stops(
        &self,
        held: &mut Setup,
        stage: &'static str,
        before: &str,
        stock: &Remains,
    ) -> Result<Result<(String, Remains, SetupRoute), String>, JobError> {
        let (mut key, mut stock) = (before.to_string(), stock.clone());
        let mut out: Option<SetupRoute> = None;
        let mut parts = held.between_stops();
        for (stops, s) in parts.iter_mut().enumerate() {
            if s.hold.hangs_on_stock() {
                let there = stock.seen_in(&s.part_from_work);
                if let Err(why) = holding::in_process(s, self.part, self.shop, self.material, &there) {
                    return Ok(Err(why));
                }
            }
            let (done, mut route) = self.routed(s, stage, &key, &stock)?;
            key = done;
            stock = stock.after(s.part_from_work, route.stock.clone());
            route.operations.iter_mut().for_each(|o| o.after_stop = stops as u32);
            out = Some(match out {
                None => route,
                Some(mut first) => {
                    first.operations.append(&mut route.operations);
                    first.named.append(&mut route.named);
                    first.notes.append(&mut route.notes);
                    first.points.append(&mut route.points);
                    first.elsewhere.append(&mut route.elsewhere);
                    first.finished.append(&mut route.finished);
                    first.stock = route.stock;
                    first
                }
            });
        }
        if let [only] = &mut parts[..] {
            *held = only.clone();
        }
        let route = out.unwrap_or_else(|| SetupRoute::nothing(stock.seen_in(&held.part_from_work)));
        Ok(Ok((key, stock, route)))
    }
    /// The operations of a setup in the stock that the ones before (`before`, their key) have left, kept under the hash of what they come from.
    pub fn routed(
        &self,
        held: &Setup,
        stage: &'static str,
        before: &str,
        stock: &Remains,
    ) -> Result<(String, SetupRoute), JobError> {
        let EachSetup { part, shop, material, desk, uneven, early, tilted, .. } = self;
        let plain = StageKey::new("side").with(&desk.model).with(shop).with(material).with(&self.block);
        // Only what paths are made from: not how the zero is touched, nor how hard a vise is closed.
        let plain = plain.with(&held.name).with(&held.duty).with(&held.part_from_work).with(&held.sawn).with(&self.bar);
        let plain = plain.with(&before).with(uneven).with(&self.intents).with(early).with(tilted);
        let mut plain = plain.with(&self.rough_first).with(&self.fine).with(&self.points_deeper);
        // Turned into another frame it takes its time.
        let seen = OnceCell::new();
        let there = || seen.get_or_init(|| stock.seen_in(&held.part_from_work));
        let most_n = self.most_side(held, || there().top());
        if most_n.is_finite() {
            plain = plain.with(&most_n).with(&held.hold.wants_mist());
        }
        let on_top = made::modelled(held.hold.on_top())?.unwrap_or_default();
        if !on_top.is_empty() {
            plain = plain.with(&held.hold.on_top());
        }
        let work = |changes: &BTreeMap<String, Override>, gently: &BTreeMap<String, f64>, key: &str| {
            cached(desk, key, stage, |watch| {
                let view = View::new(part, held.part_from_work.inverse()).with(on_top.iter().map(|b| b.mesh.clone()));
                let side = Side {
                    view: &view,
                    stock: there().clone(),
                    shop,
                    material,
                    name: &held.name,
                    through_to: matches!(held.duty, Duty::AllButHat | Duty::Inside { turned: false } | Duty::Outline)
                        .then_some(view.bounds.min.z - BELOW),
                    drill_to: match held.duty {
                        Duty::Inside { turned: false } => held.part_from_work.inverse().bounds(&self.block).min.z,
                        _ => f64::INFINITY,
                    },
                    hat: held.duty == Duty::All,
                    most_n,
                    gently,
                    mist: held.hold.wants_mist(),
                    half: match held.duty {
                        Duty::Half { down_to, .. } => Some(down_to),
                        Duty::Inside { .. } => Some(view.bounds.max.z),
                        Duty::All
                        | Duty::AllButHat
                        | Duty::Seen
                        | Duty::Outline
                        | Duty::InsideThenOutline
                        | Duty::Only(_) => None,
                    },
                    only: match &held.duty {
                        Duty::Only(o) => Some((&o.places, o.cell)),
                        _ => None,
                    },
                    uneven: uneven.filter(|_| !matches!(held.duty, Duty::Only(_))),
                    tilted,
                    intents: self.intents,
                    early,
                    points_deeper: self.points_deeper,
                    rough_first: self.rough_first,
                    fine: self.fine,
                    overrides: changes,
                    watch,
                };
                KeptRoute::from(if self.fits { plan_side(&side) } else { SetupRoute::nothing(side.stock.clone()) })
            })
        };
        // Only what a person changed of this setup's own operations goes into its key: their ids do not hang on what was changed.
        let mut key = plain.done();
        let mut gently = BTreeMap::new();
        let mut kept = work(&BTreeMap::new(), &gently, &key)?;
        // Where the hold bears less than twice what an operation asks, that one is planned again with lighter cuts.
        for _ in 0..GENTLER {
            let more = told::too_much(held, &kept.operations, &kept.paths, material.friction);
            if more.iter().all(|(id, n)| gently.get(id).is_some_and(|had| had <= n)) {
                break;
            }
            more.into_iter().for_each(|(id, n)| {
                gently.entry(id).and_modify(|had: &mut f64| *had = had.at_most(n)).or_insert(n);
            });
            key = StageKey::new("side gently").with(&key).with(&gently).done();
            kept = work(&BTreeMap::new(), &gently, &key)?;
        }
        let of_this = |id: &String| kept.operations.iter().any(|o| o.id == *id);
        let mine: BTreeMap<String, Override> =
            self.changes.iter().filter(|(id, _)| of_this(id)).map(|(id, o)| (id.clone(), *o)).collect();
        if !mine.is_empty() {
            key = StageKey::new("side changed").with(&key).with(&mine).done();
            kept = work(&mine, &gently, &key)?;
        }
        Ok((key, SetupRoute::from(kept)))
    }
}

/// A side's result as it is kept: everything in plain numbers.
#[derive(Serialize, Deserialize)]
struct KeptRoute {
    operations: Vec<Operation>,
    paths: Vec<Option<path::motion::Toolpath>>,
    stock: Vec<(f64, f64, Vec<Vec<DVec2>>)>,
    named: Vec<Finding>,
    notes: Vec<Finding>,
    points: Vec<Point>,
    elsewhere: Vec<route::Elsewhere>,
    finished: Vec<route::Finished>,
}

impl From<SetupRoute> for KeptRoute {
    fn from(mut r: SetupRoute) -> Self {
        let paths = r.operations.iter_mut().map(|o| o.path.take()).collect();
        let stock = r.stock.parts().map(|(a, b, s)| (a, b, s.loops())).collect();
        KeptRoute {
            operations: r.operations,
            paths,
            stock,
            named: r.named,
            notes: r.notes,
            points: r.points,
            elsewhere: r.elsewhere,
            finished: r.finished,
        }
    }
}

impl From<KeptRoute> for SetupRoute {
    fn from(k: KeptRoute) -> Self {
        let KeptRoute { operations, paths, stock, named, notes, points, elsewhere, finished } = k;
        let operations = operations.into_iter().zip(paths).map(|(o, path)| Operation { path, ..o }).collect();
        let stock = Slabs::stacked(stock.into_iter().map(|(a, b, l)| (a, b, Region::from_oriented(&l))));
        SetupRoute { operations, stock, named, notes, points, elsewhere, finished }
    }
}

/// A further setup also cuts what earlier ones leave in corners that lie open to it. What named these is given back: it holds again if nothing
/// comes of the setup.
pub(crate) fn take_over(held: &mut Setup, earlier: &mut [SetupRoute]) -> Vec<Finding> {
    let up = held.up();
    let Duty::Only(only) = &mut held.duty else { return Vec::new() };
    let mut was_named = Vec::new();
    for r in earlier {
        let mine: Vec<route::Elsewhere> = r.elsewhere.extract_if(.., |e| e.from.dot(up) > 1.0 - 1e-6).collect();
        only.places.extend(mine.iter().flat_map(|e| e.points(only.cell)));
        was_named.extend(r.named.extract_if(.., |f| mine.iter().any(|e| e.is_named_by(f))));
    }
    was_named
}

/// What a setup leaves open to another that is cut, and that leaves it too, no other side makes.
pub(crate) fn left_by_both(setups: &[Setup], routes: &mut [SetupRoute]) {
    for r in routes {
        for e in std::mem::take(&mut r.elsewhere) {
            let cut = setups.iter().any(|s| s.up().dot(e.from) > 1.0 - 1e-6);
            if let Some(f) = r.named.iter_mut().find(|f| cut && e.is_named_by(f)) {
                *f = e.otherwise;
            }
        }
    }
}
