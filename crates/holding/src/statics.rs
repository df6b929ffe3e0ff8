//! What holds a piece, for every way of holding: contacts with friction, clamps that press, a load, and how many times over it is borne.
//!
//! A rigid body is held if forces can be found at its contacts, each within its friction cone, that balance the load (static theorem; the load is
//! largest by one linear programme). Cones are pyramids inscribed in them, so the answer errs to the safe side, by less than 1 − cos(π/16) = 2 %.
//! (Coulomb; the programme is that of grasp statics: Murray, Li, Sastry, "A Mathematical Introduction to Robotic Manipulation", 1994, chapter 5, from
//! memory.) Contacts that only stand in the way push as much as is asked of them; where such contacts face one another they could be imagined to
//! squeeze the piece, so only those that a clamp really presses on may have friction there.

use crate::simplex::{Column, Programme};
use geom::DVec3;
use microlp::{ComparisonOp, LinearExpr, OptimizationDirection, Problem};
use std::f64::consts::TAU;

/// Rays of a friction cone.
const RAYS: usize = 16;
/// Directions across that are tried; the load is that much larger that those between are covered.
const ROUND: usize = 12;
/// More than this many times over is not told apart.
pub const MOST: f64 = 100.0;
/// Lengths and forces are taken in these, so that the programme's numbers are near 1.
const LENGTH: f64 = 100.0;
const FORCE: f64 = 1000.0;

/// How a contact pushes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Push {
    /// With this force in all, N, whatever happens; it spreads over the points as the load wants.
    Clamp(f64),
    /// As much as is asked of it; it never pulls.
    Passive,
    /// It sticks: each point bears so much pull and so much shear, N.
    Bond {
        /// Along the normal, away from the hold.
        pull: f64,
        /// Across it.
        shear: f64,
    },
}

/// Where a hold touches a piece.
#[derive(Debug, Clone, PartialEq)]
pub struct Contact {
    /// "fixed jaw".
    pub name: String,
    /// Points over which its force may lie, mm: the corners of the area are enough.
    pub at: Vec<DVec3>,
    /// From the hold into the piece, of length 1; of a clamp the direction in which it closes.
    pub normal: DVec3,
    /// Of each point its own, where the area is not flat (a nest's wall); empty where all have `normal`. What stands steeper than 60° to it has no
    /// friction: two such walls could be imagined to jam.
    pub normals: Vec<DVec3>,
    /// Coulomb's.
    pub friction: f64,
    /// How it pushes.
    pub push: Push,
}

/// A force with where it acts, and a moment with it.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Wrench {
    /// N.
    pub force: DVec3,
    /// About the origin, N mm.
    pub moment: DVec3,
}

impl Wrench {
    /// A force at a place.
    pub fn at(place: DVec3, force: DVec3) -> Wrench {
        Wrench { force, moment: place.cross(force) }
    }
    /// With a torque, N mm.
    pub fn turned(self, torque: DVec3) -> Wrench {
        Wrench { moment: self.moment + torque, ..self }
    }
    fn rows(&self) -> [f64; 6] {
        let (f, m) = (self.force / FORCE, self.moment / (FORCE * LENGTH));
        [f.x, f.y, f.z, m.x, m.y, m.z]
    }
}

/// How many times over a load is borne, and what the contacts do then.
#[derive(Debug, Clone, PartialEq)]
pub struct Margin {
    /// Times over; 0 where the piece is not even held without it, [`MOST`] where nothing gives way.
    pub factor: f64,
    /// Force of each contact on the piece at that load, N.
    pub forces: Vec<DVec3>,
}

/// Directions across a normal, the first turned by a little.
fn around(normal: DVec3, n: usize, turned: f64) -> Vec<DVec3> {
    let a = normal.any_orthonormal_vector();
    let b = normal.cross(a);
    (0..n).map(|k| turned + TAU * k as f64 / n as f64).map(|t| a * t.cos() + b * t.sin()).collect()
}

/// A push at a point of a contact: which contact, where, which way.
struct Ray {
    contact: usize,
    at: DVec3,
    dir: DVec3,
}

/// A hold as a programme: one column for each ray, then one for each bond point's room, its rows the balance and what each clamp and bond gives.
struct Pushes {
    rays: Vec<Ray>,
    columns: Vec<Column>,
    b: Vec<f64>,
    dead: Wrench,
    contacts: usize,
}

impl Pushes {
    /// Pyramids are turned by an angle.
    fn of(contacts: &[Contact], dead: Wrench, turned: f64) -> Pushes {
        let b = dead.rows().iter().map(|v| -v).collect();
        let mut p = Pushes { rays: Vec::new(), columns: Vec::new(), b, dead, contacts: contacts.len() };
        let mut room = Vec::new();
        for (n, c) in contacts.iter().enumerate() {
            let shared = around(c.normal, RAYS, turned);
            let clamp = if let Push::Clamp(f) = c.push {
                p.b.push(f / FORCE);
                Some(p.b.len() - 1)
            } else {
                None
            };
            for (k, at) in c.at.iter().enumerate() {
                let own = c.normals.get(k).copied();
                let (normal, across) = own.map_or_else(|| (c.normal, shared.clone()), |n| (n, around(n, RAYS, turned)));
                let rubs = c.friction > 0.0 && normal.dot(c.normal) >= 0.5;
                let ray = |p: &mut Pushes, dir: DVec3, more: Option<(usize, f64)>, most: f64| {
                    p.rays.push(Ray { contact: n, at: *at, dir });
                    p.columns.push(Column { six: Wrench::at(*at, dir * FORCE).rows(), more, most });
                };
                if let Push::Bond { pull, shear } = c.push {
                    p.b.push(shear / FORCE);
                    let row = p.b.len() - 1;
                    ray(&mut p, normal, None, f64::INFINITY);
                    ray(&mut p, -normal, None, pull / FORCE);
                    across.iter().for_each(|d| ray(&mut p, *d, Some((row, 1.0)), f64::INFINITY));
                    room.push(row);
                } else if rubs {
                    for d in &across {
                        let dir = normal + *d * c.friction;
                        ray(&mut p, dir, clamp.map(|r| (r, dir.dot(c.normal))), f64::INFINITY);
                    }
                } else {
                    ray(&mut p, normal, clamp.map(|r| (r, normal.dot(c.normal))), f64::INFINITY);
                }
            }
        }
        let free = |row| Column { six: [0.0; 6], more: Some((row, 1.0)), most: f64::INFINITY };
        p.columns.extend(room.into_iter().map(free));
        p
    }
    /// Forces of the contacts for what each column is; nothing if they do not balance.
    fn forces(&self, live: Wrench, factor: f64, x: &[f64]) -> Option<Margin> {
        let mut forces = vec![DVec3::ZERO; self.contacts];
        let mut rest = self.dead.rows();
        let mut add = |w: Wrench| rest.iter_mut().zip(w.rows()).for_each(|(r, w)| *r += w);
        for (r, x) in self.rays.iter().zip(x) {
            let f = r.dir * *x * FORCE;
            forces[r.contact] += f;
            add(Wrench::at(r.at, f));
        }
        add(Wrench { force: live.force * factor, moment: live.moment * factor });
        rest.iter().all(|r| r.abs() < 1e-5).then_some(Margin { factor, forces })
    }
    /// By a general library; nothing if it breaks off, as it does once in some thousand cases (a basis that is singular to its eye).
    fn by_library(&self, live: Wrench) -> Option<Margin> {
        let mut p = Problem::new(OptimizationDirection::Maximize);
        let lambda = p.add_var(1.0, (0.0, MOST));
        let mut rows: Vec<LinearExpr> = self.b.iter().map(|_| LinearExpr::empty()).collect();
        rows.iter_mut().zip(live.rows()).for_each(|(row, v)| row.add(lambda, v));
        let add = |c: &Column| {
            let v = p.add_var(0.0, (0.0, c.most));
            rows.iter_mut().zip(c.six).for_each(|(row, a)| row.add(v, a));
            if let Some((row, a)) = c.more {
                rows[row].add(v, a);
            }
            v
        };
        let vars: Vec<_> = self.columns.iter().map(add).collect();
        for (row, b) in rows.into_iter().zip(&self.b) {
            p.add_constraint(row, ComparisonOp::Eq, *b);
        }
        match p.solve() {
            Ok(s) => {
                let x: Vec<f64> = vars.iter().map(|v| s.var_value(*v)).collect();
                self.forces(live, s.var_value(lambda), &x)
            }
            Err(microlp::Error::Infeasible) => Some(self.none()),
            Err(_) => None,
        }
    }
    /// Nothing balances, or nobody can tell, which is the same to whoever stands before it.
    fn none(&self) -> Margin {
        Margin { factor: 0.0, forces: vec![DVec3::ZERO; self.contacts] }
    }
}

/// So often the library is tried, with pyramids that are turned by a little.
const TRIES: usize = 8;

/// A hold that is asked for many loads.
pub(crate) struct Standing<'a> {
    contacts: &'a [Contact],
    pushes: Pushes,
    /// Where it stands without a load; nothing where it does not, or where nobody can tell.
    programme: Option<Option<Programme>>,
}

impl<'a> Standing<'a> {
    /// Contacts, and what is there once (the piece's own weight).
    pub fn new(contacts: &'a [Contact], dead: Wrench) -> Standing<'a> {
        let pushes = Pushes::of(contacts, dead, 0.0);
        let programme = Programme::standing(pushes.columns.clone(), pushes.b.clone(), MOST);
        Standing { contacts, pushes, programme }
    }
    /// How many times over a load is borne.
    pub fn bears(&self, live: Wrench) -> Margin {
        let found = match &self.programme {
            Some(None) => Some(self.pushes.none()),
            Some(Some(p)) => p.most(live.rows()).and_then(|(most, x)| self.pushes.forces(live, most, &x)),
            None => None,
        };
        let turned = |k: usize| Pushes::of(self.contacts, self.pushes.dead, 0.037 * k as f64).by_library(live);
        found.or_else(|| (0..TRIES).find_map(turned)).unwrap_or_else(|| self.pushes.none())
    }
}

/// How many times over contacts bear `live` beside `dead`, which is there once (the piece's own weight).
pub fn margin(contacts: &[Contact], dead: Wrench, live: Wrench) -> Margin {
    Standing::new(contacts, dead).bears(live)
}

/// What a cutter does to a piece at its worst, wherever it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Load {
    /// Corners of the places where it may act, mm: between them nothing is worse.
    pub places: Vec<DVec3>,
    /// Across its axis, in any direction, N.
    pub side: f64,
    /// Along its axis, out of the piece, N; it may also be absent.
    pub lift: f64,
    /// Along its axis, into the piece, N.
    pub thrust: f64,
    /// About its axis, either way, N mm.
    pub torque: f64,
}

/// The worst that a load does.
#[derive(Debug, Clone, PartialEq)]
pub struct Worst {
    /// Times over.
    pub factor: f64,
    /// Where.
    pub at: DVec3,
    /// The force there, N.
    pub force: DVec3,
    /// Force of each contact on the piece when it gives way, N.
    pub forces: Vec<DVec3>,
}

impl Worst {
    /// Where nothing is asked.
    pub fn nothing() -> Worst {
        Worst { factor: MOST, at: DVec3::ZERO, force: DVec3::ZERO, forces: Vec::new() }
    }
}

/// The place and direction in which a load is borne least. The cutter's axis is z.
///
/// What can be borne is a convex set of loads, so nothing between two corners, or between two directions of a polygon around the circle, is worse than
/// the worse of both.
pub fn worst(contacts: &[Contact], dead: Wrench, load: &Load) -> Worst {
    let reach = 1.0 / (std::f64::consts::PI / ROUND as f64).cos();
    let sides: Vec<DVec3> = if load.side > 0.0 {
        around(DVec3::Z, ROUND, 0.0).iter().map(|d| *d * load.side * reach).collect()
    } else {
        vec![DVec3::ZERO]
    };
    let mut axial = vec![-load.thrust];
    if load.lift > 0.0 {
        axial.push(load.lift);
    }
    let turns: &[f64] = if load.torque > 0.0 { &[1.0, -1.0] } else { &[0.0] };
    let mut out = Worst::nothing();
    let standing = Standing::new(contacts, dead);
    for at in &load.places {
        for side in &sides {
            for z in &axial {
                for turn in turns {
                    let force = *side + DVec3::Z * *z;
                    let live = Wrench::at(*at, force).turned(DVec3::Z * load.torque * *turn);
                    let m = standing.bears(live);
                    if m.factor < out.factor || out.forces.is_empty() {
                        out = Worst { factor: m.factor, at: *at, force, forces: m.forces };
                    }
                }
            }
        }
    }
    out
}

/// What a screw presses with that is tightened by a torque, N m: F = T ÷ (K·d), at the low end of its scatter of ± 30 %. K = 0.2 for steel as it comes
/// (nut factor; Shigley, "Mechanical Engineering Design", chapter on screws, from memory).
pub fn screw_preload(torque_nm: f64, diameter_mm: f64) -> f64 {
    const K: f64 = 0.2;
    const LOW: f64 = 0.7;
    LOW * torque_nm * 1000.0 / (K * diameter_mm)
}

/// Corners of a flat area around a middle.
pub fn corners(middle: DVec3, half_a: DVec3, half_b: DVec3) -> Vec<DVec3> {
    [(1.0, 1.0), (1.0, -1.0), (-1.0, -1.0), (-1.0, 1.0)].map(|(a, b)| middle + half_a * a + half_b * b).to_vec()
}
