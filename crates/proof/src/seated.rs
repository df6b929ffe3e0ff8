//! Does the piece, as it then is, go where a setup wants it? Nothing that holds it may stand where there is still material: a pin without its hole, a head on stock
//! that was not cut away, a jaw in an overhang.

use crate::dexel::{Field, Ray};
use crate::run::{Gather, times, to_place};
use crate::{SetupInput, When};
use geom::{Box3, RayGrid};
use reason::{Kind, Severity, Sure, len};

/// Less is a seat, mm.
const DEEP: f64 = 0.05;

/// How much of two rays is common, mm.
fn common(a: &Ray, b: &Ray) -> f64 {
    let of = |p: &(f64, f64)| b.iter().map(|q| p.1.at_most(q.1) - p.0.at_least(q.0)).fold(0.0, Sure::at_least);
    a.iter().map(of).fold(0.0, Sure::at_least)
}

/// Where a body stands in stock by more than the width of a ray to all sides: how deep, and around what.
fn stands_in(stock: &Field, body: &Field) -> Option<(f64, Box3)> {
    let g: &RayGrid = &stock.grid;
    let [nx, ny] = g.count;
    let deep: Vec<f64> = stock.rays.iter().zip(&body.rays).map(|(a, b)| common(a, b)).collect();
    let mut out: Option<(f64, Box3)> = None;
    for j in 1..ny.saturating_sub(1) {
        for i in 1..nx.saturating_sub(1) {
            let k = j * nx + i;
            let least = [k, k - 1, k + 1, k - nx, k + nx].iter().map(|&n| deep[n]).fold(f64::INFINITY, Sure::at_most);
            if least > DEEP {
                let at = g.point(k, stock.rays[k].first().map_or(0.0, |r| r.0));
                let here = Box3 { min: at, max: at };
                out = Some(match out {
                    None => (least, here),
                    Some((d, b)) => (d.at_least(least), Box3 { min: b.min.min(at), max: b.max.max(at) }),
                });
            }
        }
    }
    out
}

/// Look at everything that stands from a stop of the program on (0: its start), and did not before. `lines`: the last before it, none at the start, and the first after.
pub(crate) fn check(stock: &Field, input: &SetupInput, stops: u32, lines: (Option<u32>, u32), gather: &mut Gather) {
    let line = lines.1;
    let comes = |w: When| {
        let there = lines.0.is_some_and(|before| w.now(stops.saturating_sub(1), before));
        w.now(stops, line) && !there
    };
    let boxes = input.keep_out.iter().filter(|k| comes(k.when)).map(|k| {
        let b = Box3 { min: k.min, max: k.max };
        (k.name.as_str(), b, None)
    });
    let solids = input.bodies.iter().filter(|b| comes(b.when));
    let solids = solids.map(|b| (b.name.as_str(), b.mesh.bounds(), Some(&b.mesh)));
    for (n, (name, bounds, mesh)) in boxes.chain(solids).enumerate() {
        let field = match mesh {
            Some(m) => Field::of_mesh(stock.grid, m),
            None => Field::of_box(stock.grid, &bounds),
        };
        let Some((deep, around)) = stands_in(stock, &field) else { continue };
        let name = name.to_string();
        gather.add(
            (Kind::DoesNotSeat, n as u32, &name.clone()),
            Severity::Stop,
            line,
            deep,
            Some(to_place(&input.part_from_work, &around)),
            move |w, c| format!("The {name} stands where there is still material, {w:.2} mm of it{}: the piece does not lie as planned", times(c), w = len(w)),
            "Cut the room that it needs in a setup before, or hold the piece another way.",
        );
    }
}
