//! Places of what is left: few, all around the material, and not much more than it. A net too loose would hide a real miss.

use geom::{Box3, DVec3};
use intake::Reading;
use job::{Settled, plan, prove_plan};
use part::Part;
use reason::{Kind, Place, Severity};
use shop::Shop;
use std::path::Path;

/// Side of the cells that volumes are counted in, mm.
const CELL: f64 = 0.25;

/// Cells of a box of space, by whether some box of a list covers their middle.
struct Cells {
    origin: DVec3,
    count: [usize; 3],
    on: Vec<bool>,
}

impl Cells {
    fn over(around: Box3) -> Cells {
        let count = (around.size() / CELL).ceil().max(DVec3::ONE).to_array().map(|n| n as usize);
        Cells { origin: around.min, count, on: vec![false; count.iter().product()] }
    }
    fn fill(&mut self, lo: DVec3, hi: DVec3) {
        let range = |k: usize| {
            let at = |v: f64| ((v - self.origin[k]) / CELL - 0.5).ceil().clamp(0.0, self.count[k] as f64) as usize;
            at(lo[k])..at(hi[k])
        };
        let (x, y, z) = (range(0), range(1), range(2));
        for k in z {
            for j in y.clone() {
                let row = (k * self.count[1] + j) * self.count[0];
                self.on[row + x.start..row + x.end].fill(true);
            }
        }
    }
    fn volume(&self) -> f64 {
        self.on.iter().filter(|on| **on).count() as f64 * CELL.powi(3)
    }
}

fn corners(p: &Place) -> (DVec3, DVec3) {
    (DVec3::from_array(p.min_mm), DVec3::from_array(p.max_mm))
}

fn volume_of(boxes: &[Place], grown: f64) -> f64 {
    let around = boxes.iter().map(corners).fold(Box3::EMPTY, |b, (min, max)| b.joined(&Box3 { min, max }));
    let mut cells = Cells::over(Box3 { min: around.min - grown, max: around.max + grown });
    for (lo, hi) in boxes.iter().map(corners) {
        cells.fill(lo - grown, hi + grown);
    }
    cells.volume()
}

#[test]
fn boxes_of_what_is_left_hold_it_and_little_else_on_every_demo_part() {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let shop = Shop::demo().unwrap();
    let (mut parts, mut named) = (0, 0);
    for name in PARTS {
        let file = demo.join(name);
        let reading = Reading { solid: name.contains("slit-latch").then_some(0), ..Default::default() };
        let part = Part::from_model(&intake::read_trusted(&file).unwrap(), &reading).unwrap();
        let settled = Settled::default();
        let planned = plan(&part, name, &shop, &settled).unwrap();
        let proof = prove_plan(&part, &planned.plan, &shop).unwrap();
        parts += 1;
        if let Some((_, passed, complete, setups)) = VERDICTS.iter().find(|v| name.contains(v.0)) {
            let verdict = (proof.passed(), proof.complete, planned.plan.sides.len());
            assert_eq!(verdict, (*passed, *complete, *setups), "{name}: {:#?}", proof.findings);
        }
        // What another side would cut does not forbid cutting: three sharp walls meet in the wedge's seat.
        if name.contains("mirror-wedge") {
            let corner = proof.findings.iter().find(|f| f.kind == Kind::NeedsOtherSide).unwrap();
            assert!(
                corner.severity == Severity::Warn && corner.what.contains("from +X it lies open"),
                "{}",
                corner.what
            );
        }
        for l in &proof.left {
            let f = proof.findings.iter().find(|f| f.id == l.finding).unwrap();
            assert!(f.places.len() <= 2000, "{name} {}: {} boxes", f.id, f.places.len());
            for b in &l.boxes {
                let (lo, hi) = corners(b);
                for p in [lo, hi, (lo + hi) / 2.0] {
                    assert!(f.places.iter().any(|q| q.contains(p, 1e-6)), "{name} {}: {p} is in none", f.id);
                }
            }
            let (told, holds) = (volume_of(&f.places, 0.0), volume_of(&l.boxes, 0.5));
            println!("{name} {}: {} boxes, {told:.1} of {holds:.1} mm³", f.id, f.places.len());
            assert!(told <= 1.5 * holds, "{name} {}: {told} mm³ for {holds}", f.id);
            named += 1;
        }
        if !proof.left.is_empty() {
            let sum: f64 = proof.left.iter().map(|l| l.mm3).sum();
            assert!(!proof.complete && (sum - proof.left_mm3).abs() < 1e-6);
        }
    }
    assert!(parts == PARTS.len() && named >= 10, "{named}");
}

/// Parts with known verdicts: proved, nothing left, setups. The oil block's last is tilted for its slanted bore, the wedge's for its slope.
const VERDICTS: [(&str, bool, bool, usize); 5] = [
    ("dew-flange", true, true, 2),
    ("slit-latch", true, true, 2),
    ("switch-box", true, true, 3),
    ("oil-block", true, false, 4),
    ("mirror-wedge", true, false, 3),
];

/// All that are milled but for the four of `demo/parts`, of which nothing is left (`engagement.rs`); the round ones stop before there is a plan.
const PARTS: [&str; 9] = [
    "reading/dew-flange.dxf",
    "reading/dome-cap.step",
    "reading/dovetail-rail.step",
    "reading/encoder-bracket-b.step",
    "reading/focus-knob.stl",
    "reading/mirror-wedge.step",
    "reading/oil-block.step",
    "reading/slit-latch.step",
    "reading/switch-box.step",
];
