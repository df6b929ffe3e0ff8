//! Parts with known answers in pieces with known answers: what is over, sawn, returned and wasted is added up by hand.

use geom::{Box3, DMat3, DVec2, DVec3, Placement, TriMesh};
use reason::Sure;
use shop::Shop;
use std::f64::consts::PI;
use stock::*;

fn block(size: [f64; 3]) -> TriMesh {
    let b = Box3 { min: DVec3::ZERO, max: DVec3::from_array(size) };
    let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let triangles = quads.iter().flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]]).collect();
    TriMesh { points: b.corners().to_vec(), triangles, face: (0..6).flat_map(|f| [f, f]).collect() }
}

/// A prism of n sides about z, standing on z = 0.
fn prism(n: usize, radius: f64, long: f64) -> TriMesh {
    let ring = |z: f64| (0..n).map(move |k| (DVec2::from_angle(2.0 * PI * k as f64 / n as f64) * radius).extend(z));
    let mut points: Vec<DVec3> = ring(0.0).chain(ring(long)).collect();
    points.extend([DVec3::ZERO, DVec3::new(0.0, 0.0, long)]);
    let mut triangles: Vec<[u32; 3]> = Vec::new();
    for k in 0..n {
        let m = (k + 1) % n;
        let (a, b, c, d) = (k as u32, m as u32, (n + k) as u32, (n + m) as u32);
        let (bottom, top) = ((2 * n) as u32, (2 * n + 1) as u32);
        triangles.extend([[a, b, d], [a, d, c], [bottom, b, a], [top, c, d]]);
    }
    let face = vec![0; triangles.len()];
    TriMesh { points, triangles, face }
}

fn wanted<'a>(shop: &'a Shop, mesh: &'a TriMesh, volume: f64, made: Made) -> Wanted<'a> {
    Wanted {
        bounds: mesh.bounds(),
        volume,
        mesh,
        outlines: Wanted::outlines_of(mesh),
        made,
        material: shop.material("aluminium-6082").unwrap(),
        machine: &shop.machine,
        vise: &shop.vise,
        face_mill: 50.0,
        chips_mm3_min: 10_000.0,
        rate_per_min: 1.0,
    }
}

fn mill() -> Made {
    Made::Mill { up: DVec3::Z, back: DVec3::Y, hat: 8.0 }
}

fn piece(name: &str, shape: Form, skin: Skin) -> Piece {
    Piece::new(name, "aluminium-6082", shape, skin)
}

fn flat(length: f64, width: f64, height: f64) -> Form {
    Form::Flat { length: Range::just(length), width, height }
}

/// The way that leaves the part as it is.
fn straight() -> usize {
    ways().iter().position(|m| *m == DMat3::IDENTITY).unwrap()
}

fn near(a: f64, b: f64) {
    assert!((a - b).abs() < 1e-6 * (1.0 + b.abs()), "{a} is not {b}");
}

#[test]
fn the_24_ways_are_all_rotations_and_all_different() {
    let w = ways();
    assert_eq!(w.len(), 24);
    for (i, m) in w.iter().enumerate() {
        assert!((m.determinant() - 1.0).abs() < 1e-12);
        assert!(w[..i].iter().all(|o| (*o - *m).abs().to_cols_array().iter().sum::<f64>() > 0.5));
    }
}

#[test]
fn a_block_in_a_long_flat_is_sawn_to_length_and_the_rest_goes_back() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 36.0, 12.0]);
    let w = wanted(&shop, &mesh, 60.0 * 36.0 * 12.0, mill());
    let p = Piece { cost: Some(30.0), ..piece("B1", flat(300.0, 40.0, 25.0), Skin::Drawn) };
    let l = lay(&w, &p, &Lay { way: straight(), ..Lay::default() });
    assert_eq!(l.fit, Fit::Fits, "{:?}", l.findings);
    // Length: sawn ends want 2 each, so 64. Width 40 stays, 2 over on each side; height 25: 0.5 on top, the rest below.
    near(l.blank[0], 64.0);
    assert_eq!(l.over[0], [2.0, 2.0]);
    assert_eq!(l.over[1], [2.0, 2.0]);
    near(l.over[2][1], 0.5);
    near(l.over[2][0], 12.5);
    assert_eq!(l.cuts.len(), 1);
    near(l.cuts[0].area, 1000.0);
    // 300 − 64 − 2.5 of the saw.
    assert_eq!(l.remnants.len(), 1);
    assert_eq!(l.remnants[0].shape, flat(233.5, 40.0, 25.0));
    assert_eq!(l.remnants[0].remnant_of.as_deref(), Some("B1"));
    let chips = 64.0 * 40.0 * 25.0 - w.volume;
    near(l.waste_mm3, chips + 2.5 * 1000.0);
    near(l.mass, 64.0 * 40.0 * 25.0 * 2.7e-6);
    near(l.cost.unwrap(), 30.0 * (1.0 - 233.5 / 300.0));
    let sum: f64 = l.terms.iter().map(|t| t.value).sum();
    near(l.minutes, sum);
    // Material is neither lost nor made: blank, dust, scrap and remnants are the piece.
    near(l.blank_mm3 + 2500.0 + l.remnants[0].shape.volume(), p.shape.volume());
}

#[test]
fn a_bar_of_the_parts_own_width_stays_uncut_on_its_faces() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 40.0, 12.0]);
    let w = wanted(&shop, &mesh, 60.0 * 40.0 * 12.0, mill());
    let drawn = lay(&w, &piece("D", flat(300.0, 40.0, 25.0), Skin::Drawn), &Lay { way: straight(), ..Lay::default() });
    assert_eq!((drawn.fit, drawn.over[1]), (Fit::Fits, [0.0, 0.0]));
    assert_eq!(drawn.serves, ["−Y and +Y as drawn"]);
    // Hot-rolled flat of the same size does not serve: nothing is left to clean.
    let rolled =
        lay(&w, &piece("R", flat(300.0, 40.0, 25.0), Skin::Rolled), &Lay { way: straight(), ..Lay::default() });
    assert_eq!((rolled.fit, rolled.serves.len()), (Fit::Tight, 0));
    assert!(rolled.findings.iter().any(|f| f.kind == "stock_tight" && f.what.contains("+Y")));
}

#[test]
fn sawn_blocks_are_squared_in_order_and_the_plan_starts_from_what_is_left() {
    let shop = Shop::demo().unwrap();
    let mesh = block([80.0, 50.0, 12.0]);
    let w = wanted(&shop, &mesh, 48_000.0, mill());
    let shape = Form::Block { length: Range::just(86.0), width: 58.0, height: 30.0 };
    let l = lay(&w, &piece("S", shape, Skin::Sawn), &Lay { way: straight(), ..Lay::default() });
    assert_eq!(l.fit, Fit::Fits, "{:?}", l.findings);
    let faces: Vec<&str> = l.squaring.iter().map(|s| s.face.as_str()).collect();
    assert_eq!(faces, ["−Z", "−Y", "+Y"]);
    // −Z is 86 × 58: two passes of a 50 mm cutter; the sides are 86 × 27.46 and take one each.
    assert_eq!(l.squaring.iter().map(|s| s.passes).collect::<Vec<_>>(), [2, 1, 1]);
    near(l.squaring[1].width, 30.0 - 2.54);
    let (raw, squared) = (l.over, l.over_squared());
    near(raw[1][0] - squared[1][0], 2.54);
    near(raw[2][0] - squared[2][0], 2.54);
    near(raw[2][1], squared[2][1]);
    assert!(squared[2][0] >= 8.0 && squared[1][0] > 0.3);
}

#[test]
fn stock_as_thick_as_the_part_leaves_no_hat_and_too_thin_does_not_hold_it() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 36.0, 12.0]);
    let w = wanted(&shop, &mesh, 25_920.0, mill());
    let at =
        |h: f64| lay(&w, &piece("T", flat(100.0, 40.0, h), Skin::Rolled), &Lay { way: straight(), ..Lay::default() });
    let same = at(12.0);
    assert_eq!(same.fit, Fit::NoHat);
    assert!(same.findings.iter().any(|f| f.kind == "stock_no_hat" && f.why.contains("half from each side")));
    let thin = at(11.0);
    assert_eq!(thin.fit, Fit::TooSmall);
    assert!(thin.findings.iter().any(|f| f.kind == "stock_small"));
    assert_eq!(at(20.5).fit, Fit::Fits);
    assert_eq!(at(20.4).fit, Fit::NoHat);
}

#[test]
fn a_batch_is_checked_with_its_shortest_and_its_longest() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 36.0, 12.0]);
    let w = wanted(&shop, &mesh, 25_920.0, mill());
    let shape = |least, most| Form::Flat { length: Range { least, most }, width: 40.0, height: 25.0 };
    let l = lay(&w, &piece("N", shape(64.0, 70.0), Skin::Rolled), &Lay { way: straight(), ..Lay::default() });
    assert_eq!(l.fit, Fit::Fits);
    near(l.over[0][0], 2.0);
    near(l.over[0][1], 8.0);
    assert!(l.findings.iter().any(|f| f.kind == "batch"));
    let short = lay(&w, &piece("N", shape(63.0, 70.0), Skin::Rolled), &Lay { way: straight(), ..Lay::default() });
    assert_eq!(short.fit, Fit::Tight);
    let long = lay(
        &w,
        &piece(
            "N",
            Form::Blank {
                length: Range { least: 70.0, most: 500.0 },
                width: Range::just(40.0),
                height: Range::just(25.0),
            },
            Skin::Milled,
        ),
        &Lay { way: straight(), ..Lay::default() },
    );
    assert!(long.fit == Fit::Fits, "a long blank is sawn, so its spread does not matter: {:?}", long.findings);
    let whole = Form::Result { job: "j".into(), length: 500.0, width: 40.0, height: 25.0 };
    let travel = lay(&w, &piece("N", whole, Skin::Milled), &Lay { way: straight(), ..Lay::default() });
    assert!(travel.fit == Fit::TooLarge && travel.findings.iter().any(|f| f.what.contains("along X")));
}

#[test]
fn turned_parts_lie_in_rounds_tubes_and_hexagons() {
    let shop = Shop::demo().unwrap();
    let shaft = prism(96, 15.0, 80.0);
    let volume = PI * 225.0 * 80.0;
    let w = wanted(&shop, &shaft, volume, Made::Turn { axis: DVec3::Z, diameter: 30.0, across: None, held: 0.0 });
    let rack = [
        piece("ground 30", Form::Round { length: Range::just(500.0), diameter: 30.0 }, Skin::Ground),
        piece("rolled 30", Form::Round { length: Range::just(500.0), diameter: 30.0 }, Skin::Rolled),
        piece("rolled 32", Form::Round { length: Range::just(500.0), diameter: 32.0 }, Skin::Rolled),
        piece("rolled 40", Form::Round { length: Range::just(500.0), diameter: 40.0 }, Skin::Rolled),
        piece("hex 30", Form::Hex { length: Range::just(500.0), across: 30.0 }, Skin::Drawn),
        piece("tube", Form::Tube { length: Range::just(500.0), diameter: 40.0, bore: 20.0 }, Skin::Drawn),
        piece("square", flat(500.0, 32.0, 32.0), Skin::Drawn),
        piece("short", Form::Round { length: Range::just(85.0), diameter: 32.0 }, Skin::Rolled),
    ];
    let list = candidates(&w, &rack);
    let of = |n: &str| &list.iter().find(|c| c.piece.name == n).unwrap().laying;
    assert_eq!(list[0].piece.name, "ground 30", "{}", list[0].why);
    assert_eq!(of("ground 30").serves, ["outside as ground"]);
    // 80 + 1 to face + 15 to hold + 3 to part off, the sawn end for the rest of the bar: nothing wanders into what is held.
    near(of("ground 30").blank[2], 99.0);
    assert_eq!(of("rolled 30").fit, Fit::Tight);
    assert_eq!((of("rolled 32").fit, of("rolled 40").fit), (Fit::Fits, Fit::Fits));
    assert!(of("rolled 40").minutes > of("rolled 32").minutes);
    assert_eq!((of("tube").fit, of("square").fit, of("short").fit), (Fit::TooSmall, Fit::Fits, Fit::NoHat));
    // The inscribed circle of a hexagon of 30 across flats: the part touches the flats.
    assert_eq!(of("hex 30").fit, Fit::Tight);
    assert!(!of("rolled 32").plannable && !of("square").plannable, "the mill's plan takes no turned part");
    assert_eq!(proposed(&list).map(|c| c.piece.name.as_str()), Some("ground 30"));

    // A hexagon of 30 across flats, its corners along x of the part; drawn bar of that size stays on its flats.
    let nut = prism(6, 30.0 / 3.0_f64.sqrt(), 40.0);
    let w = wanted(
        &shop,
        &nut,
        3.0_f64.sqrt() / 2.0 * 900.0 * 40.0,
        Made::Turn { axis: DVec3::Z, diameter: 34.64, across: Some(30.0), held: 0.0 },
    );
    let list = candidates(&w, &rack);
    let hex = list.iter().find(|c| c.piece.name == "hex 30").unwrap();
    assert_eq!(
        (hex.laying.fit, hex.laying.serves.as_slice()),
        (Fit::Fits, ["flats as drawn".to_string()].as_slice()),
        "{:?}",
        hex.laying.findings
    );
    assert_eq!(list[0].piece.name, "hex 30");
}

#[test]
fn a_ring_comes_from_a_tube_whose_bore_is_smaller() {
    let shop = Shop::demo().unwrap();
    // A square ring 40 outside, 24 inside, 30 high, made of four bars.
    let mut mesh = TriMesh { points: vec![], triangles: vec![], face: vec![] };
    for (at, size) in
        [([0.0, 0.0], [40.0, 8.0]), ([0.0, 32.0], [40.0, 8.0]), ([0.0, 8.0], [8.0, 24.0]), ([32.0, 8.0], [8.0, 24.0])]
    {
        let m = block([size[0], size[1], 30.0])
            .placed(&Placement { turn: DMat3::IDENTITY, shift: DVec3::new(at[0], at[1], 0.0) });
        let n = mesh.points.len() as u32;
        mesh.points.extend(m.points);
        mesh.triangles.extend(m.triangles.iter().map(|t| t.map(|i| i + n)));
        mesh.face.extend(m.face);
    }
    let w = wanted(
        &shop,
        &mesh,
        (1600.0 - 576.0) * 30.0,
        Made::Turn { axis: DVec3::Z, diameter: 56.57, across: None, held: 0.0 },
    );
    let tube = |bore: f64| piece("t", Form::Tube { length: Range::just(300.0), diameter: 60.0, bore }, Skin::Rolled);
    let fit = |bore: f64| candidates(&w, &[tube(bore)])[0].laying.fit;
    // The hole's inscribed circle is Ø24: 1 mm to clean leaves a bore of 22.
    assert_eq!((fit(22.0), fit(23.0), fit(25.0)), (Fit::Fits, Fit::Tight, Fit::TooSmall));
}

#[test]
fn joints_of_slabs_leave_no_sliver() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 36.0, 12.0]);
    let w = wanted(&shop, &mesh, 25_920.0, mill());
    let shape = Form::Slabs { length: 70.0, width: 40.0, slab: 10.0, count: 3 };
    let at = |shift: f64| {
        lay(
            &w,
            &piece("G", shape.clone(), Skin::Rolled),
            &Lay { way: straight(), angle_deg: 0.0, shift: [0.0, 0.0, shift] },
        )
    };
    // 30 high, the part's top 0.5 below the top: it reaches from 17.5 to 29.5, the joint at 20 lies 2.5 inside.
    assert!(at(0.0).findings.iter().all(|f| f.kind != "sliver"), "{:?}", at(0.0).findings);
    // Lower by 8.9: from 8.6 to 20.6; the joint at 20 leaves 0.6.
    let low = at(-8.9);
    let f = low.findings.iter().find(|f| f.kind == "sliver").unwrap();
    assert!(reason::plain(&f.what).contains("20 mm") && f.what.contains("0.60"), "{}", f.what);
    assert!(
        !f.places.is_empty() && f.places.iter().all(|p| (p.min_mm[2] - 11.4).abs() < 0.5),
        "places are the part's: {:?}",
        f.places[0]
    );
    // With a face of the part on the joint there is nothing to break off.
    assert!(at(-9.5).findings.iter().all(|f| f.kind != "sliver" || !reason::plain(&f.what).contains("20 mm")));
}

#[test]
fn askew_on_an_odd_plate() {
    let shop = Shop::demo().unwrap();
    let mesh = block([80.0, 20.0, 6.0]);
    let w = wanted(&shop, &mesh, 9600.0, mill());
    // A triangle with legs of 100: along its long side there is room for 84 × 24, square to its legs there is none for 84.
    let shape = Form::Plate {
        length: 100.0,
        width: 100.0,
        height: 20.0,
        outline: vec![[0.0, 0.0], [100.0, 0.0], [0.0, 100.0]],
    };
    let p = piece("odd", shape, Skin::Rolled);
    let square = lay(&w, &p, &Lay { way: straight(), ..Lay::default() });
    assert_eq!(square.fit, Fit::TooSmall, "84 + 26 is more than a leg");
    let askew = lay(&w, &p, &Lay { way: straight(), angle_deg: 135.0, shift: [0.0; 3] });
    assert_eq!(askew.fit, Fit::Fits, "{:?}", askew.findings);
    assert!(askew.cuts.len() >= 3 && askew.cuts.iter().all(|c| c.what.contains("askew")));
    // The part lies inside the triangle: all its corners do.
    let r = &askew.piece_from_part;
    let turn = DMat3::from_cols_array_2d(&[[r[0], r[4], r[8]], [r[1], r[5], r[9]], [r[2], r[6], r[10]]]);
    assert!((turn.determinant() - 1.0).abs() < 1e-12);
    let m = Placement { turn, shift: DVec3::new(r[3], r[7], r[11]) };
    for c in mesh.bounds().corners() {
        let q = m.point(c);
        assert!(q.x > 1.0 && q.y > 1.0 && q.x + q.y < 99.0, "{q}");
    }
    // What is sawn off does not exceed the plate.
    let back: f64 = askew.remnants.iter().map(|r| r.shape.volume()).sum();
    assert!(back + askew.blank_mm3 < p.shape.volume());
    // Ranked by itself, it is laid askew.
    let c = candidates(&w, std::slice::from_ref(&p));
    assert!(c[0].laying.fit == Fit::Fits && c[0].laying.lay.angle_deg > 0.0);
}

/// The blank that just fits is found, one a hundredth larger is not; turned by any angle it is the same with the outline turned along.
#[test]
fn a_blank_that_just_fits_an_odd_plate_is_found() {
    let shop = Shop::demo().unwrap();
    let mesh = block([40.0, 20.0, 6.0]);
    let w = wanted(&shop, &mesh, 4800.0, mill());
    let blank = lay(
        &w,
        &piece(
            "big",
            Form::Plate {
                length: 200.0,
                width: 200.0,
                height: 20.0,
                outline: vec![[0.0, 0.0], [200.0, 0.0], [200.0, 199.0], [0.0, 200.0]],
            },
            Skin::Rolled,
        ),
        &Lay { way: straight(), ..Lay::default() },
    )
    .blank;
    for deg in [0.0_f64, 12.5, 45.0, 101.0] {
        for (grow, fits) in [(0.0, true), (-0.01, false)] {
            // A wedge with a pocket of the blank's own size at its far end: there is no other place.
            let (a, b) = (blank[0] + grow, blank[1] + grow);
            let shape =
                [[0.0, 0.0], [60.0 + a, 10.0], [60.0 + a, 10.0 + b], [60.0, 10.0 + b], [60.0, 10.0], [0.0, 10.0]];
            let turned: Vec<DVec2> =
                shape.iter().map(|p| DVec2::from_angle(deg.to_radians()).rotate(DVec2::from_array(*p))).collect();
            let low = turned.iter().copied().reduce(DVec2::min).unwrap();
            let size = turned.iter().copied().reduce(DVec2::max).unwrap() - low;
            let outline = turned.iter().map(|p| (*p - low).to_array()).collect();
            let p = piece("pocket", Form::Plate { length: size.x, width: size.y, height: 20.0, outline }, Skin::Rolled);
            let l = lay(&w, &p, &Lay { way: straight(), angle_deg: deg, shift: [0.0; 3] });
            assert_eq!(l.fit == Fit::Fits, fits, "{deg}° {grow}: {:?}", l.findings);
        }
    }
}

#[test]
fn the_rest_of_a_rest_keeps_a_short_tag() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 36.0, 12.0]);
    let w = wanted(&shop, &mesh, 25_920.0, mill());
    let mut p =
        piece("A very long tag that somebody wrote on the whole bar itself", flat(3000.0, 40.0, 25.0), Skin::Drawn);
    for _ in 0..6 {
        p = lay(&w, &p, &Lay { way: straight(), ..Lay::default() }).remnants[0].clone();
        assert_eq!(p.fault(), None);
        assert_eq!(p.name.matches("rest").count(), 1, "{}", p.name);
    }
}

#[test]
fn ranking_goes_by_what_fits_and_then_by_minutes() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 36.0, 12.0]);
    let w = wanted(&shop, &mesh, 25_920.0, mill());
    let mut other = piece("other material", flat(70.0, 40.0, 25.0), Skin::Rolled);
    other.material = "brass".into();
    let mut gone = piece("gone", flat(70.0, 40.0, 25.0), Skin::Rolled);
    gone.quantity = 0;
    let mut rest = piece("rest", flat(64.0, 40.0, 21.0), Skin::Rolled);
    rest.remnant_of = Some("bar".into());
    let rack = [
        piece("huge", flat(64.0, 80.0, 60.0), Skin::Rolled),
        piece("thin", flat(64.0, 40.0, 12.0), Skin::Rolled),
        piece("bar", flat(600.0, 40.0, 21.0), Skin::Rolled),
        piece("small", flat(50.0, 30.0, 10.0), Skin::Rolled),
        rest,
        other,
        gone,
        Piece { cost: Some(60.0), ..piece("dear", flat(64.0, 40.0, 21.0), Skin::Rolled) },
    ];
    let list = candidates(&w, &rack);
    let names: Vec<&str> = list.iter().map(|c| c.piece.name.as_str()).collect();
    assert_eq!(names, ["rest", "bar", "huge", "dear", "thin", "small"]);
    assert!(list[0].why.contains("no sawing") && list[1].why.contains("1 saw cut"));
    assert!(list[5].why.contains("sticks out") && list[4].why.contains("to hold it by"));
    // Whatever the piece, the part turned into it lies inside the blank by what is over: lengths close.
    for c in &list {
        for k in 0..3 {
            let l = &c.laying;
            near(l.over[k][0] + w.bounds.size()[k] + l.over[k][1], l.blank[k]);
        }
    }
}

#[test]
fn a_casting_says_how_uneven_it_is() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 36.0, 20.0]);
    let w = wanted(&shop, &mesh, 43_200.0, mill());
    let shape = Form::Casting { length: 67.0, width: 43.0, height: 27.0, allowance: Range { least: 2.0, most: 4.0 } };
    let l = lay(&w, &piece("C", shape, Skin::Cast), &Lay { way: straight(), ..Lay::default() });
    assert_eq!(l.fit, Fit::Fits, "{:?}", l.findings);
    assert!(l.findings.iter().any(|f| f.kind == "casting" && f.why.contains("0.25")));
    // The part and 3 mm all over its surface, not the box.
    near(l.blank_mm3, 43_200.0 + 3.0 * 2.0 * (60.0 * 36.0 + 60.0 * 20.0 + 36.0 * 20.0));
}

#[test]
fn a_lay_beyond_the_piece_is_told() {
    let shop = Shop::demo().unwrap();
    let mesh = block([60.0, 36.0, 12.0]);
    let w = wanted(&shop, &mesh, 25_920.0, mill());
    let bar = piece("B", flat(300.0, 40.0, 25.0), Skin::Drawn);
    let at = |x: f64| lay(&w, &bar, &Lay { way: straight(), angle_deg: 0.0, shift: [x, 0.0, 0.0] });
    // 65 are wanted with a cut at both ends: from 100 the saw cuts twice and two ends remain.
    let mid = at(100.0);
    assert_eq!((mid.fit, mid.cuts.len(), mid.remnants.len()), (Fit::Fits, 2, 2), "{:?}", mid.findings);
    for x in [-5.0, 290.0] {
        let l = at(x);
        assert!(
            l.fit == Fit::TooSmall && l.findings.iter().any(|f| f.what.contains("beyond the end")),
            "{x}: {:?}",
            l.findings
        );
    }
    let round = piece("R", Form::Round { length: Range::just(300.0), diameter: 80.0 }, Skin::Rolled);
    let askew = lay(&w, &round, &Lay { way: straight(), angle_deg: 30.0, shift: [0.0; 3] });
    assert!(askew.fit == Fit::TooSmall && askew.findings.iter().any(|f| f.kind == "stock_askew"));
}

#[test]
fn nonsense_is_refused() {
    assert!(Lay { way: 24, ..Lay::default() }.fault().is_some());
    assert!(Lay { angle_deg: f64::NAN, ..Lay::default() }.fault().is_some());
    assert!(Lay { shift: [0.0, f64::INFINITY, 0.0], ..Lay::default() }.fault().is_some());
    assert_eq!(Lay { way: 23, angle_deg: -30.0, shift: [1.0; 3] }.fault(), None);
}

/// Numbers without a crate: a linear congruential generator (Knuth's MMIX constants).
struct Dice(u64);

impl Dice {
    fn next(&mut self, lo: f64, hi: f64) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        lo + (hi - lo) * ((self.0 >> 11) as f64 / (1u64 << 53) as f64)
    }
}

/// Whatever the part, the piece and the lay: material is neither lost nor made, lengths close, and what is said to fit lies inside.
#[test]
fn sawing_keeps_the_books_for_any_lay() {
    let shop = Shop::demo().unwrap();
    let mut d = Dice(7);
    let (mut looked_at, mut fitted) = (0, 0);
    for round in 0..400 {
        let size = [d.next(8.0, 90.0), d.next(8.0, 60.0), d.next(4.0, 30.0)];
        let mesh = block(size);
        let volume: f64 = size.iter().product();
        let w = wanted(&shop, &mesh, volume, mill());
        let (l, b, h) = (d.next(60.0, 400.0), d.next(20.0, 200.0), d.next(8.0, 60.0));
        let cut = d.next(0.2, 0.8);
        let shape = match round % 5 {
            0 => flat(l, b, h),
            1 => Form::Block { length: Range::just(l), width: b, height: h },
            2 => Form::Plate { length: l, width: b, height: h, outline: vec![] },
            3 => Form::Plate {
                length: l,
                width: b,
                height: h,
                outline: vec![[0.0, 0.0], [l, 0.0], [l, b * cut], [l * cut, b], [0.0, b]],
            },
            _ => Form::Slabs { length: l, width: b, slab: h / 2.0, count: 2 },
        };
        let skin = Skin::ALL[(round / 5) % 5].0;
        let p = piece("any", shape, skin);
        let angle_deg = if round % 2 == 0 { 0.0 } else { d.next(0.0, 180.0) };
        let shift = if round % 3 == 0 { [d.next(0.0, 30.0), d.next(-3.0, 3.0), d.next(-2.0, 2.0)] } else { [0.0; 3] };
        let y = lay(&w, &p, &Lay { way: round % 24, angle_deg, shift });
        for (k, long) in size.iter().enumerate() {
            near(y.over[k][0] + long + y.over[k][1], y.blank[k]);
        }
        looked_at += 1;
        if y.fit == Fit::TooSmall {
            continue;
        }
        fitted += 1;
        let dust_and_scrap = y.waste_mm3 - (y.blank_mm3 - volume).at_least(0.0);
        let kept: f64 = y.remnants.iter().map(|r| r.shape.volume()).sum();
        let sum = y.blank_mm3 + dust_and_scrap + kept;
        assert!((sum / p.shape.volume() - 1.0).abs() < 2e-3, "{round}: {sum} of {} {:?}", p.shape.volume(), p.shape);
        assert!(y.remnants.iter().all(|r| r.fault().is_none()), "{round}: {:?}", y.remnants);
        assert!(y.over.iter().flatten().all(|o| *o > -0.06), "{round}: {:?}", y.over);
        // Every corner of the part lies in the piece, to the 0.05 within which a face of the bar serves.
        let r = &y.piece_from_part;
        let e = p.shape.envelope();
        let plan = p.shape.plan();
        for c in mesh.bounds().corners() {
            let at = |k: usize| r[4 * k] * c.x + r[4 * k + 1] * c.y + r[4 * k + 2] * c.z + r[4 * k + 3];
            let q = DVec2::new(at(0), at(1));
            let inside = plan.contains(q) || plan.nearest_on_border(q).is_some_and(|b| b.distance(q) < 0.06);
            assert!(inside && at(2) > -0.06 && at(2) < e[2].most + 0.06, "{round}: {q} {}", at(2));
        }
    }
    assert!(looked_at == 400 && fitted > 60, "{fitted} of {looked_at} fit");
}
