//! Clearing on hundreds of random regions, cut again by a simulation that shares nothing with it: a raster of heights under a round cutter.

use fastrand::Rng;
use geom::{DVec2, DVec3, Region, Slabs};
use path::Feeds;
use path::motion::{Move, turn_of};
use path::rough::{Clearing, Cutting, cut, passes};
use rayon::prelude::*;
use std::f64::consts::TAU;

const CELL: f64 = 0.25;
const FEEDS: Feeds = Feeds { cut: 600.0, plunge: 150.0, link: 1500.0, brush: 1500.0 };
const LEVELS: [f64; 2] = [-2.0, -4.0];

/// Heights of stock on a raster.
struct Raster {
    origin: DVec2,
    nx: usize,
    ny: usize,
    z: Vec<f64>,
}

impl Raster {
    fn of(block: &Region) -> Raster {
        let (a, b) = block.bounds().unwrap();
        let origin = a - 2.0;
        let size = (b - a + 4.0) / CELL;
        let (nx, ny) = (size.x.ceil() as usize, size.y.ceil() as usize);
        let mut r = Raster { origin, nx, ny, z: vec![f64::NEG_INFINITY; nx * ny] };
        let inside = block.clone();
        for k in 0..nx * ny {
            if inside.contains(r.middle(k)) {
                r.z[k] = 0.0;
            }
        }
        r
    }
    fn middle(&self, k: usize) -> DVec2 {
        self.origin + (DVec2::new((k % self.nx) as f64, (k / self.nx) as f64) + 0.5) * CELL
    }
    fn at(&self, p: DVec2) -> f64 {
        let q = (p - self.origin) / CELL;
        if q.x < 0.0 || q.y < 0.0 || q.x as usize >= self.nx || q.y as usize >= self.ny {
            return f64::NEG_INFINITY;
        }
        self.z[q.y as usize * self.nx + q.x as usize]
    }
    /// Cells under the cutter.
    fn under(&self, p: DVec2, r: f64) -> Vec<usize> {
        let lo = ((p - r - self.origin) / CELL).floor().max(DVec2::ZERO);
        let hi = ((p + r - self.origin) / CELL).ceil().max(DVec2::ZERO);
        let (i1, j1) = ((hi.x as usize).min(self.nx), (hi.y as usize).min(self.ny));
        let mut out = Vec::new();
        for j in lo.y as usize..j1 {
            for i in lo.x as usize..i1 {
                let k = j * self.nx + i;
                if self.middle(k).distance_squared(p) < r * r {
                    out.push(k);
                }
            }
        }
        out
    }
    /// Share of the rim, as an angle, that stands in material above a height.
    fn engaged(&self, p: DVec2, r: f64, z: f64) -> f64 {
        const N: usize = 90;
        let rim = |k: usize| p + DVec2::from_angle(TAU * k as f64 / N as f64) * (r - CELL / 2.0);
        TAU * (0..N).filter(|&k| self.at(rim(k)) > z + 1e-6).count() as f64 / N as f64
    }
}

/// Length cut, and how much of it met more than was promised by over 15°.
#[derive(Default)]
struct Seen {
    cut: f64,
    over: f64,
    rapid_in_stock: usize,
    not_finite: usize,
    feeds: f64,
}

fn simulate(raster: &mut Raster, moves: &[Move], r: f64) -> Seen {
    let mut seen = Seen::default();
    let mut at = DVec3::new(0.0, 0.0, 10.0);
    let mut limit = TAU;
    for m in moves {
        let (points, rapid): (Vec<DVec3>, bool) = match m {
            Move::State { engagement_limit, .. } => {
                limit = engagement_limit.unwrap_or(limit);
                continue;
            }
            Move::Rapid { to } => (line(at, *to), true),
            Move::Feed { to, feed } => {
                seen.feeds += at.distance(*to) / feed;
                (line(at, *to), false)
            }
            Move::Arc { to, center, ccw, feed } => {
                let points = arc(at, *to, *center, *ccw);
                seen.feeds += points.windows(2).map(|w| w[0].distance(w[1])).sum::<f64>() / feed;
                (points, false)
            }
            Move::Drill { .. } => unreachable!("clearing drills nothing"),
        };
        for w in points.windows(2) {
            let (a, b) = (w[0], w[1]);
            if !b.is_finite() {
                seen.not_finite += 1;
                continue;
            }
            let level = (a.z - b.z).abs() < 1e-9 && b.z < 0.0;
            if level && !rapid {
                let e = raster.engaged(b.truncate(), r, b.z);
                if e > 0.05 {
                    seen.cut += a.distance(b);
                    seen.over += if e > limit + 15f64.to_radians() { a.distance(b) } else { 0.0 };
                }
            }
            let low = if a.z < b.z { a.z } else { b.z };
            for k in raster.under(b.truncate(), if rapid { r - CELL } else { r }) {
                if rapid && raster.z[k] > low + 1e-6 {
                    seen.rapid_in_stock += 1;
                } else if raster.z[k] > b.z {
                    raster.z[k] = b.z;
                }
            }
        }
        at = *points.last().unwrap();
    }
    seen
}

fn line(a: DVec3, b: DVec3) -> Vec<DVec3> {
    let n = (a.distance(b) / CELL).ceil().clamp(1.0, 1e5) as usize;
    (0..=n).map(|k| a.lerp(b, k as f64 / n as f64)).collect()
}

fn arc(a: DVec3, b: DVec3, c: DVec2, ccw: bool) -> Vec<DVec3> {
    let (from, r) = (a.truncate() - c, (a.truncate() - c).length());
    let turn = turn_of(from, b.truncate() - c, ccw);
    let n = ((turn.abs() * r / CELL).ceil() as usize).max(1);
    let at = |s: f64| (c + from.rotate(DVec2::from_angle(turn * s))).extend(a.z + (b.z - a.z) * s);
    (0..=n).map(|k| at(k as f64 / n as f64)).collect()
}

/// A block, what may not be cut of it, and the cutter's radius.
fn scene(seed: u64) -> (Region, Region, f64) {
    let mut d = Rng::with_seed(seed);
    let mut between = |a: f64, b: f64| a + (b - a) * d.f64();
    let size = DVec2::new(between(18.0, 55.0), between(16.0, 45.0));
    let block = Region::rect(DVec2::ZERO, size);
    let r = [1.5, 2.0, 3.0, 4.0, 5.0, 6.0][(between(0.0, 5.999)) as usize];
    let lump = |between: &mut dyn FnMut(f64, f64) -> f64| {
        let at = DVec2::new(between(0.0, size.x), between(0.0, size.y));
        if between(0.0, 1.0) < 0.5 {
            Region::disc(at, between(2.0, 9.0), 0.01)
        } else {
            Region::rect(at, at + DVec2::new(between(3.0, 20.0), between(3.0, 20.0)))
        }
    };
    let lumps: Vec<Region> = (0..(between(1.0, 5.0)) as usize).map(|_| lump(&mut between)).collect();
    let lumps = Region::union_all(&lumps);
    let kept = match between(0.0, 3.0) as u32 {
        // A closed pocket with islands.
        0 => block.minus(&block.shrunk(3.0, 0.01)).union(&lumps),
        // Lumps on a plate: open all round.
        1 => lumps.intersect(&block.shrunk(1.0, 0.01)),
        // A plate with a margin of stock, and pieces cut out of it.
        _ => block.shrunk(between(0.5, 4.0), 0.01).minus(&lumps),
    };
    (block, kept.opened(0.3, 0.01), r)
}

struct Report {
    seen: Seen,
    /// Area that is left though a cutter finds room there, and that is cut though it is kept, mm².
    left: f64,
    gouged: f64,
    material: f64,
}

fn run(seed: u64) -> Option<Report> {
    let (block, kept, r) = scene(seed);
    let allowed = block.grown(r + 3.0, 0.01).minus(&kept.grown(r + 0.25, 0.01));
    let material = block.minus(&kept.grown(0.31, 0.01)).without_specks(0.01);
    let mut d = Rng::with_seed(seed ^ 77);
    let clearing = Clearing {
        allowed: allowed.clone(),
        material: material.clone(),
        radius: r,
        engagement: (40.0 + 50.0 * d.f64()).to_radians(),
        helix_slope: 0.05,
        skin_only: false,
        tolerance: 0.015,
    };
    let stock = Slabs::prism(block.clone(), -10.0, 0.0);
    let done = passes(&clearing);
    let at = Cutting {
        levels: LEVELS.to_vec(),
        top: 0.0,
        feeds: FEEDS,
        feed_where: &|_| FEEDS.cut,
        clear_z: 10.0,
        stock: &stock,
    };
    let moves = cut(&clearing, &done, &at);
    if moves.is_empty() {
        return None;
    }
    let mut raster = Raster::of(&block);
    let seen = simulate(&mut raster, &moves, r);
    // What has room for a helix and a stroke, and hangs together with what is cut.
    let room = allowed.opened(0.3 * r, 0.01).grown(r - 0.3, 0.01).intersect(&material.shrunk(0.3, 0.01));
    let (mut left, mut gouged) = (0, 0);
    let keep = kept.shrunk(0.15, 0.01);
    for k in 0..raster.z.len() {
        let p = raster.middle(k);
        if raster.z[k] > LEVELS[1] + 1e-6 && room.contains(p) {
            left += 1;
        }
        if raster.z[k] < 0.0 && raster.z[k].is_finite() && keep.contains(p) {
            gouged += 1;
        }
    }
    let area = CELL * CELL;
    Some(Report { seen, left: left as f64 * area, gouged: gouged as f64 * area, material: material.area() })
}

#[test]
fn random_regions_are_cleared_as_promised() {
    let all: Vec<(u64, Report)> = (0..200_u64).into_par_iter().filter_map(|s| Some((s, run(s)?))).collect();
    assert!(all.len() > 170, "only {} of 200 have anything to clear", all.len());
    let (mut cut, mut over) = (0.0, 0.0);
    let mut bad = Vec::new();
    for (seed, r) in &all {
        cut += r.seen.cut;
        over += r.seen.over;
        let share = if r.seen.cut > 1.0 { r.seen.over / r.seen.cut } else { 0.0 };
        let wrong = r.seen.not_finite > 0
            || !r.seen.feeds.is_finite()
            || r.seen.rapid_in_stock > 0
            || r.gouged > 0.0
            || r.left > 0.01 * r.material + 0.5
            || share > 0.15 && r.seen.over > 20.0;
        if wrong {
            bad.push(format!(
                "{seed}: {} not finite, {} rapids in stock, {:.2} mm² gouged, {:.1} of {:.0} mm² left, {:.0} % of {:.0} mm over",
                r.seen.not_finite, r.seen.rapid_in_stock, r.gouged, r.left, r.material, 100.0 * share, r.seen.cut
            ));
        }
    }
    println!("{} regions, {:.1} m cut, {:.1} % over", all.len(), cut / 1000.0, 100.0 * over / cut);
    assert!(bad.is_empty(), "{} of {}:\n{}", bad.len(), all.len(), bad.join("\n"));
    assert!(over < 0.03 * cut, "{:.1} %", 100.0 * over / cut);
}

/// The simulation sees what is wrong: a rapid through stock, a cut of what is kept, full width where little is promised.
#[test]
fn the_simulation_sees_planted_faults() {
    let block = Region::rect(DVec2::ZERO, DVec2::splat(30.0));
    let v = DVec3::new;
    let run = |moves: &[Move]| {
        let mut r = Raster::of(&block);
        let s = simulate(&mut r, moves, 3.0);
        (s, r)
    };
    let through = [Move::Rapid { to: v(-6.0, 15.0, -2.0) }, Move::Rapid { to: v(36.0, 15.0, -2.0) }];
    assert!(run(&through).0.rapid_in_stock > 100);
    let slot = [
        Move::Rapid { to: v(-6.0, 15.0, 5.0) },
        Move::Rapid { to: v(-6.0, 15.0, -2.0) },
        Move::State { words: String::new(), engagement_limit: Some(1.0) },
        Move::Feed { to: v(36.0, 15.0, -2.0), feed: 500.0 },
    ];
    let (s, r) = run(&slot);
    assert!(s.over > 25.0 && s.rapid_in_stock == 0, "{} of {}", s.over, s.cut);
    assert!((r.at(DVec2::new(15.0, 15.0)) + 2.0).abs() < 1e-9 && r.at(DVec2::new(15.0, 20.0)) == 0.0);
    // Half a cutter's width: 90°.
    let mut r = Raster::of(&block);
    r.z.iter_mut().enumerate().for_each(|(k, z)| {
        if r.origin.y + ((k / r.nx) as f64 + 0.5) * CELL > 15.0 {
            *z = -9.0;
        }
    });
    let e = r.engaged(DVec2::new(15.0, 15.0), 3.0, -2.0).to_degrees();
    assert!((e - 180.0).abs() < 6.0, "{e}");
}
