//! Faces that are neither walls nor floors: domes, bowls, rounds and drafts are finished by balls, as a slow oracle finds them from the posted text.

use crate::family::Dice;
use crate::oracle::{agrees, covered, read};

use geom::{DVec3, Placement};
use job::{Plan, Planned, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::{Part, Surface};
use proof::Proof;
use reason::Severity;
use shop::Shop;
use shop::tool::ToolKind;

fn stops(proof: &Proof) -> Vec<&str> {
    proof.findings.iter().filter(|f| f.severity == Severity::Stop).map(|f| f.what.as_str()).collect()
}

fn planned(part: &Part) -> (Plan, Proof) {
    let shop = Shop::demo().unwrap();
    let Planned { plan, .. } = plan(part, "surfaces", &shop, &Settled::default()).unwrap();
    let proof = prove_plan(part, &plan, &shop).unwrap();
    (plan, proof)
}

/// A block, its middle at the origin of x and y.
fn block(x: f64, y: f64, z: f64) -> Shape {
    Shape::block([-x / 2.0, -y / 2.0, 0.0], [x / 2.0, y / 2.0, z]).unwrap()
}

/// Just outside the curved and slanted faces nothing is left, just inside nothing is gone: so many places of each, by the posted text alone.
fn skin_agrees(part: &Part, plan: &Plan, proof: &Proof, told: &str) {
    let named = |p: DVec3| proof.findings.iter().any(|f| f.places.iter().any(|q| q.contains(p, 0.05)));
    let mut off = Vec::new();
    let mut on = Vec::new();
    for f in part
        .faces
        .iter()
        .filter(|f| !matches!(f.surface, Surface::Plane { normal, .. } if normal.abs().max_element() > 1.0 - 1e-6))
    {
        for t in f.triangles.clone().step_by((f.triangles.len() / 150).max(1)) {
            let n = part.mesh.normal(t).normalize();
            let c = part.mesh.corners(t);
            let m = (c[0] + c[1] + c[2]) / 3.0;
            // Walls are not what is asked about.
            if n.z > 0.02 && !named(m) {
                off.push(m + n * 0.05);
                on.push(m - n * 0.02);
            }
        }
    }
    let gone = |points: &[DVec3]| {
        let mut gone = vec![false; points.len()];
        for side in &plan.sides {
            let back: Placement = side.setup.part_from_work.inverse();
            let here: Vec<DVec3> = points.iter().map(|p| back.point(*p)).collect();
            let now = covered(&here, &side.program, side.setup.zero_in_machine, &side.tools);
            gone.iter_mut().zip(now).for_each(|(g, n)| *g |= n);
        }
        gone
    };
    assert!(off.len() > 100, "{told}");
    let left: Vec<&DVec3> = off.iter().zip(gone(&off)).filter(|(_, g)| !g).map(|(p, _)| p).collect();
    assert!(left.is_empty(), "{told}: {} of {} places stand 0.05 mm out, as at {}", left.len(), off.len(), left[0]);
    let dug: Vec<&DVec3> = on.iter().zip(gone(&on)).filter(|(_, g)| *g).map(|(p, _)| p).collect();
    assert!(dug.is_empty(), "{told}: {} of {} places are dug, as at {}", dug.len(), on.len(), dug[0]);
}

/// A dome on a block, a bowl in one, a block with its upper edges rounded, a post with drafts.
pub fn shapes() -> [(&'static str, Shape); 4] {
    let dome = block(50.0, 40.0, 10.0).fuse(&Shape::ball([0.0, 0.0, 5.0], 14.0).unwrap()).unwrap();
    // Only what stands out above the block.
    let dome = dome.cut(&Shape::block([-30.0, -30.0, -20.0], [30.0, 30.0, 0.0]).unwrap()).unwrap();
    let bowl = block(50.0, 44.0, 16.0).cut(&Shape::ball([0.0, 0.0, 24.0], 20.0).unwrap()).unwrap();
    let round = block(44.0, 36.0, 14.0).fillet(3.0, [-23.0, -19.0, 13.9], [23.0, 19.0, 14.1]).unwrap();
    let square = |h: f64, r: f64| rounded_polygon(&[([-h, -h], r), ([h, -h], r), ([h, h], r), ([-h, h], r)]);
    let post = Shape::loft(&[(square(13.0, 5.0), 8.0), (square(11.0, 3.0), 18.0)]).unwrap();
    let post = block(56.0, 46.0, 8.0).fuse(&post).unwrap();
    [("dome", dome), ("bowl", bowl), ("round", round), ("post", post)]
}

#[test]
fn what_is_curved_is_finished() {
    for (told, shape) in shapes() {
        let part = read(&shape);
        let (plan, proof) = planned(&part);
        assert!(proof.passed(), "{told}: {:?}", stops(&proof));
        // In the sharp corner at the foot of a draft no ball gets down: that is named.
        assert_eq!(proof.complete, told != "post", "{told}");
        assert_eq!(proof.findings.iter().any(|f| f.kind == "uncut_face"), told == "post", "{told}");
        assert!(plan.sides.iter().flat_map(|s| &s.tools).any(|t| t.kind == ToolKind::Ball), "{told}");
        agrees(&part, &plan, &proof, &mut Dice::new(7), told);
        skin_agrees(&part, &plan, &proof, told);
    }
}

/// Left out by a hand at the control: without the terraces the ball's rapids run into what stands there, and other cutters cut than were promised. A ball a size
/// larger in the holder digs into the dome.
#[test]
fn a_ball_without_its_terraces_and_a_wrong_ball_are_found() {
    let shop = Shop::demo().unwrap();
    let part = read(&shapes()[0].1);
    let (plan, proof) = planned(&part);
    assert!(proof.passed());
    let side = plan.sides.iter().position(|s| s.program.contains("TERRACES")).unwrap();
    let steps: Vec<&str> = plan.sides[side].program.split_inclusive('\n').collect();
    let begins = |k: usize, words: &str| steps[k].starts_with("(STEP") && steps[k].contains(words);
    let (mut out, mut leaves) = (String::new(), false);
    for (k, line) in steps.iter().enumerate() {
        leaves = (leaves || begins(k, "TERRACES")) && !begins(k, "SURFACE");
        if !leaves {
            out.push_str(line);
        }
    }
    let mut bare = plan.clone();
    bare.sides[side].program = out;
    let proof = prove_plan(&part, &bare, &shop).unwrap();
    assert!(stops(&proof).iter().any(|s| s.contains("A rapid move runs through stock")), "{:?}", stops(&proof));
    assert!(stops(&proof).iter().any(|s| s.contains("cuts where T2 is promised")), "{:?}", stops(&proof));
    // The next size up in its holder.
    let mut wrong = plan.clone();
    let ball = |t: &&mut shop::tool::Tool| t.kind == ToolKind::Ball && t.diameter_mm == 10.0;
    wrong.sides[side].tools.iter_mut().find(ball).unwrap().diameter_mm = 12.0;
    let proof = prove_plan(&part, &wrong, &shop).unwrap();
    assert!(proof.gouge_mm > 0.3 && !proof.passed(), "{}", proof.gouge_mm);
}
