//! The stock at any moment, to be looked at: for each setup, every change of height of every column of a coarse grid.
//!
//! This is a picture, not the proof: columns are [`History::pitch`] mm wide and a move is taken in pieces of that length. The cutters
//! of a three-axis mill come from above, so a column holds one piece of material: its underside stays, its upper end falls.

use crate::SetupInput;
use crate::sweep::Sweep;
use crate::time::{self, Motion};
use geom::{Bar, Box3, DVec2, DVec3};
use reason::Sure;

/// Smaller changes of height are not shown, mm.
const SHOWN: f64 = 0.08;

/// A column's upper end falls.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fall {
    /// Since the program's start, s.
    pub at: f32,
    /// Column: y index × columns along x + x index.
    pub column: u32,
    /// New upper end, work coordinates, mm.
    pub top: f32,
}

/// The columns of one setup, work coordinates, mm.
#[derive(Debug, Clone, PartialEq)]
pub struct History {
    /// Lower left corner of the first column.
    pub origin: [f64; 2],
    /// Width of a column.
    pub pitch: f64,
    /// Columns along x and y.
    pub count: [usize; 2],
    /// Undersides.
    pub under: Vec<f32>,
    /// Upper ends at the start.
    pub top: Vec<f32>,
    /// In order of time.
    pub falls: Vec<Fall>,
}

impl History {
    /// Middle of a column.
    pub fn middle(&self, column: usize) -> DVec2 {
        let (i, j) = (column % self.count[0], column / self.count[0]);
        DVec2::new(self.origin[0] + (i as f64 + 0.5) * self.pitch, self.origin[1] + (j as f64 + 0.5) * self.pitch)
    }
    /// Upper ends after all falls.
    pub fn end(&self) -> Vec<f32> {
        let mut top = self.top.clone();
        for f in &self.falls {
            top[f.column as usize] = f.top;
        }
        top
    }
}

/// Histories of all setups, for a block (or what of it lies in a bar) and about `columns` columns each. Setups whose part lies turned over about x follow one
/// another; a column that was cut through stays empty.
pub fn histories(
    block: &Box3,
    bar: Option<&Bar>,
    setups: &[SetupInput],
    motion: &Motion,
    columns: f64,
) -> Vec<History> {
    let mut out: Vec<History> = Vec::new();
    let mut block = *block;
    for (k, s) in setups.iter().enumerate() {
        if let Some(left) = &s.sawn {
            block = block.common(left);
        }
        let work_from_part = s.part_from_work.inverse();
        let b = work_from_part.bounds(&block);
        let size = b.size();
        let pitch = (size.x * size.y / columns).sqrt().at_least(0.05);
        let count = [(size.x / pitch).round().at_least(1.0) as usize, (size.y / pitch).round().at_least(1.0) as usize];
        let n = count[0] * count[1];
        let mut h = History {
            origin: [b.min.x, b.min.y],
            pitch,
            count,
            under: vec![b.min.z as f32; n],
            top: vec![b.max.z as f32; n],
            falls: Vec::new(),
        };
        if let Some(bar) = bar {
            let along = s.part_from_work.dir(DVec3::Z);
            for c in 0..n {
                let from = s.part_from_work.point(h.middle(c).extend(0.0));
                let (low, high) = bar.span(from, along).unwrap_or((b.min.z, b.min.z));
                h.under[c] = low.at_least(b.min.z) as f32;
                h.top[c] = high.at_most(b.max.z).at_least(low.at_least(b.min.z)) as f32;
            }
        }
        if let Some(before) = k.checked_sub(1).map(|p| (&out[p], before_from_now(&setups[p], s))) {
            inherit(&mut h, before.0, &before.1, b.max.z);
        }
        if s.sawn.is_some() {
            let (low, high) = (b.min.z as f32, b.max.z as f32);
            for (under, top) in h.under.iter_mut().zip(&mut h.top) {
                *under = under.clamp(low, high);
                *top = top.clamp(*under, high);
            }
        }
        follow(&mut h, s, &time::seconds(&s.program.steps, motion));
        out.push(h);
    }
    out
}

fn before_from_now(before: &SetupInput, now: &SetupInput) -> geom::Placement {
    before.part_from_work.inverse().after(&now.part_from_work)
}

/// Material of the setup before, seen in this one: exact where the cutters' axes are parallel.
fn inherit(h: &mut History, before: &History, before_from_now: &geom::Placement, ceiling: f64) {
    let up = before_from_now.dir(DVec3::Z).z;
    let now_from_before = before_from_now.inverse();
    let tops = before.end();
    if up.abs() < 1.0 - 1e-9 {
        return inherit_turned(h, before, &tops, &now_from_before);
    }
    for c in 0..h.top.len() {
        let m = h.middle(c).extend(ceiling);
        let p = before_from_now.point(m);
        let i = ((p.x - before.origin[0]) / before.pitch).floor();
        let j = ((p.y - before.origin[1]) / before.pitch).floor();
        if i < 0.0 || j < 0.0 || i as usize >= before.count[0] || j as usize >= before.count[1] {
            continue;
        }
        let k = j as usize * before.count[0] + i as usize;
        let ends = [f64::from(before.under[k]), f64::from(tops[k])]
            .map(|z| now_from_before.point(DVec3::new(p.x, p.y, z)).z as f32);
        h.under[c] = ends[0].min(ends[1]);
        h.top[c] = if before.under[k] >= tops[k] { h.under[c] } else { ends[0].max(ends[1]) };
    }
}

/// The same at any other angle: each column of before lies down, taken in pieces as short as it is wide where it does not lie square; of what is hollow only
/// the outside is seen.
fn inherit_turned(h: &mut History, before: &History, tops: &[f32], now_from_before: &geom::Placement) {
    let floor = h.under.first().copied().unwrap_or(0.0);
    let mut ends = vec![(f32::INFINITY, f32::NEG_INFINITY); h.top.len()];
    let square = now_from_before.is_axial();
    // What stands in a piece at an angle reaches no further up than its own middle does, but for half a column.
    let half = before.pitch / 2.0;
    for (c, &top) in tops.iter().enumerate() {
        let (low, high) = (f64::from(before.under[c]), f64::from(top));
        if low >= high {
            continue;
        }
        let m = before.middle(c);
        let n = if square { 1.0 } else { ((high - low) / before.pitch).ceil().at_least(1.0) };
        for k in 0..n as usize {
            let [z0, z1] = [k, k + 1].map(|k| low + (high - low) * k as f64 / n);
            let corner = |s: f64, z: f64| DVec3::new(m.x + s * half, m.y + s * half, z);
            let mut b = now_from_before.bounds(&Box3 { min: corner(-1.0, z0), max: corner(1.0, z1) });
            if !square {
                let middle = now_from_before.point(m.extend(f64::midpoint(z0, z1))).z;
                (b.min.z, b.max.z) = (middle - half, middle + half);
            }
            let cell = |v: f64, axis: usize| {
                ((v - h.origin[axis]) / h.pitch).floor().clamp(0.0, (h.count[axis] - 1) as f64) as usize
            };
            for j in cell(b.min.y + 1e-6, 1)..=cell(b.max.y - 1e-6, 1) {
                for i in cell(b.min.x + 1e-6, 0)..=cell(b.max.x - 1e-6, 0) {
                    let e = &mut ends[j * h.count[0] + i];
                    *e = (e.0.min(b.min.z as f32), e.1.max(b.max.z as f32));
                }
            }
        }
    }
    for (c, (low, high)) in ends.into_iter().enumerate() {
        (h.under[c], h.top[c]) = if low < high { (low, high) } else { (floor, floor) };
    }
}

fn follow(h: &mut History, s: &SetupInput, seconds: &[f64]) {
    let mut top = h.top.clone();
    let mut clock = 0.0;
    for (step, took) in s.program.steps.iter().zip(seconds) {
        let started = clock;
        clock += took;
        if !step.moves() || step.machine {
            continue;
        }
        let Some(tool) = s.tools.iter().find(|t| t.number == step.tool) else { continue };
        let whole = Sweep::new(step.from, step.to, &step.shape);
        let long = whole.length2().at_least((whole.z1 - whole.z0).abs());
        let n = (long / h.pitch.at_least(0.4)).ceil().at_least(1.0) as usize;
        for k in 0..n {
            let p = whole.part(k as f64 / n as f64, (k + 1) as f64 / n as f64);
            let at = (started + took * (k + 1) as f64 / n as f64) as f32;
            let (lo, hi) = p.bounds2();
            let r = tool.radius();
            let cell = |v: f64, axis: usize| {
                ((v - h.origin[axis]) / h.pitch).floor().clamp(0.0, h.count[axis] as f64) as usize
            };
            for j in cell(lo.y - r, 1)..(cell(hi.y + r, 1) + 1).min(h.count[1]) {
                for i in cell(lo.x - r, 0)..(cell(hi.x + r, 0) + 1).min(h.count[0]) {
                    let c = j * h.count[0] + i;
                    if f64::from(top[c]) <= p.z_min() + SHOWN || top[c] <= h.under[c] {
                        continue;
                    }
                    let d = p.distance(h.middle(c));
                    // Under a roof a head cuts what a column has no room for: its upper end stays.
                    if d > r || f64::from(top[c]) > p.z_max() + tool.top_at(d) + SHOWN {
                        continue;
                    }
                    let z = (p.z_min() + tool.height_at(d)).at_least(f64::from(h.under[c]));
                    if z < f64::from(top[c]) - SHOWN {
                        top[c] = z as f32;
                        h.falls.push(Fall { at, column: c as u32, top: z as f32 });
                    }
                }
            }
        }
    }
}
