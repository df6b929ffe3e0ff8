//! What stands beside the part while it is machined: other solids of its file that a person said stay. They turn over with the part.
//! Cutters keep away from them ([`part::BESIDE`]), the proof holds cutters, shanks and holders against them, and what they keep from being
//! cut is named beforehand.

use geom::{Box3, DVec3, RayGrid, TriMesh};
use holding::Scheme;
use part::{BESIDE, Part};
use proof::Standing;
use reason::{Finding, Kind, Place, Severity, len};

/// Corners between the part and what stands beside it stay as full as the largest finishing cutters leave them, mm.
const CORNER: f64 = 5.0;

fn name(part: &Part, solid: usize) -> &str {
    &part.origin.solids[solid].name
}

/// For the proof.
pub fn standing(part: &Part) -> Vec<Standing<'_>> {
    part.staying().map(|o| Standing { name: name(part, o.solid).into(), mesh: &o.mesh }).collect()
}

/// What they keep from being cut: around them, and under and over them along the cutters' axis.
pub fn left_for(part: &Part, hold: &Scheme) -> Vec<Finding> {
    let all = hold.stock.joined(&part.bounds);
    part.staying()
        .filter_map(|o| {
            let mut b = o.mesh.bounds().grown(BESIDE + CORNER);
            for k in 0..3 {
                if hold.up[k].abs() > 0.5 {
                    b.min[k] = all.min[k].min(b.min[k]);
                    b.max[k] = all.max[k].max(b.max[k]);
                }
            }
            let name = name(part, o.solid);
            b.meets(&all).then(|| {
                Finding::new(
                    Kind::Beside,
                    Severity::Warn,
                    format!("'{name}' stays while the part is machined: cutters keep {BESIDE} mm away from it", BESIDE = len(BESIDE)),
                    "What lies around, under or over it may be left. Say on the Part ticket that it does not stay, or cut that by hand or from another side.",
                )
                .keyed(o.solid.to_string())
                .at(vec![Place::new(b.min, b.max)])
            })
        })
        .collect()
}

/// Does some of a solid lie in a box? Rays along z, so thin sheets along z that fall between them are not seen.
fn enters(mesh: &TriMesh, min: DVec3, max: DVec3) -> Option<Box3> {
    let b = mesh.bounds();
    let both = Box3 { min: b.min.max(min), max: b.max.min(max) };
    let size = both.size();
    if size.min_element() <= 0.01 {
        return None;
    }
    let grid = RayGrid::covering(2, &both, (size.x * size.y / 2500.0).sqrt().max(0.05));
    let rays = mesh.crossings(&grid);
    let inside = |r: &Vec<geom::Crossing>| {
        r.windows(2).any(|w| w[0].enters && !w[1].enters && w[1].t.min(both.max.z) - w[0].t.max(both.min.z) > 0.01)
    };
    rays.iter().any(inside).then_some(both)
}

/// Where they stand in what holds the part.
pub fn in_the_hold(part: &Part, hold: &Scheme) -> Vec<Finding> {
    let mut out = Vec::new();
    for setup in &hold.setups {
        let to_work = setup.part_from_work.inverse();
        for o in part.staying() {
            let mesh = o.mesh.placed(&to_work);
            for body in setup.hold.bodies() {
                let Some(both) = enters(&mesh, body.min, body.max) else { continue };
                let what = &body.name;
                let place = setup.part_from_work.bounds(&both);
                let name = name(part, o.solid);
                out.push(
                    Finding::new(
                        Kind::BesideInHold,
                        Severity::Stop,
                        format!("'{name}', which stays, stands where the {what} is"),
                        "The part cannot be clamped so. Say on the Part ticket that it does not stay, or choose other sides.",
                    )
                    .keyed(format!("{}/{}/{what}", setup.name, o.solid))
                    .in_setup(&setup.name)
                    .at(vec![Place::new(place.min, place.max)]),
                );
            }
        }
    }
    out
}
