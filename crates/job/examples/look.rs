use geom::*;
use part::*;
fn main() {
    let f = std::env::args().nth(1).unwrap();
    let raw = kernel::read_trusted(std::path::Path::new(&f), &kernel::Limits::default()).unwrap();
    let p = Part::from_raw(&raw).unwrap();
    let up: DVec3 = match std::env::args().nth(2).as_deref() {
        Some("-z") => DVec3::NEG_Z,
        Some("+y") => DVec3::Y,
        Some("-y") => DVec3::NEG_Y,
        Some("+x") => DVec3::X,
        _ => DVec3::Z,
    };
    let along = if up.x.abs() > 0.5 { DVec3::Y } else { DVec3::X };
    let v = View::new(&p, Placement::from_axes(along, up).inverse());
    println!("bounds {:?}", v.bounds);
    println!("floors {:?}", v.floors());
    for (k, f) in p.faces.iter().enumerate() {
        let b = v.face_bounds(k);
        println!(
            "{k} {:?} area {:.2} z {:.4}..{:.4} xy {:.2},{:.2}..{:.2},{:.2}",
            f.surface, f.area, b.min.z, b.max.z, b.min.x, b.min.y, b.max.x, b.max.y
        );
    }
    for h in v.holes() {
        println!("{h:?}");
    }
}
