//! Sheets read back from their PDF: leaves, words, and what stands in them.

use geom::{Box3, DVec3, TriMesh};
use paper::{Body, Format, Held, Page, Picture, StepRow, Tone, ToolRow, pdf};

fn page(steps: usize) -> Page {
    let none = || Picture { title: "From the front".into(), axes: ["X", "Z"], shapes: vec![] };
    Page {
        title: "Sight plate: side 1 of 2".into(),
        verdict: "proved".into(),
        passed: true,
        about: vec!["Aluminium, stock 77 × 51 × 25 mm".into()],
        pictures: [none(), none()],
        load: vec!["Seat it on the parallels, 12 N·m – no chips under it".into()],
        tools: vec![ToolRow { number: 7, words: "flat end mill Ø12".into(), stickout: "34".into() }],
        steps: (1..=steps)
            .map(|n| StepRow {
                numbered: [n, n],
                tool: 7,
                title: format!("Rough level {n}"),
                numbers: "6000 rpm".into(),
            })
            .collect(),
        at_stops: vec![vec!["Screws in".into()]],
        tried: vec!["try M6 with a gauge".into()],
        by_hand: vec!["M2.5: by hand".into()],
        warnings: vec!["A long word: ".to_string() + &"wide".repeat(80)],
    }
}

fn read(bytes: &[u8]) -> Vec<String> {
    pdf_extract::extract_text_from_mem_by_pages(bytes).unwrap()
}

#[test]
fn what_is_put_in_is_read_back_leaf_by_leaf() {
    let short = pdf(&[page(6), page(3)], Format::A4).unwrap();
    let leaves = read(&short);
    assert_eq!(leaves.len(), 2, "one leaf a setup where it fits");
    for words in [
        "Sight plate: side 1 of 2",
        "proved",
        "Ø12",
        "Rough level 6",
        "Seat it on the parallels, 12 N·m – no chips",
        "At stop 1 (M0)",
        "Screws in",
        "try M6",
        "M2.5: by hand",
        "1 of 2",
        "a qualified person decides",
    ] {
        assert!(leaves[0].contains(words), "{words}: {}", leaves[0]);
    }
    assert!(!leaves[1].contains("Rough level 4"));
    // A word that is wider than the leaf is broken and not lost.
    assert_eq!(leaves[0].replace(['\n', ' '], "").matches("wide").count(), 80);
    // Long ones go on, with the title again, and every step is there once.
    let long = read(&pdf(&[page(150)], Format::Letter).unwrap());
    assert!(long.len() >= 3 && long[1].contains("continued"), "{}", long.len());
    let all = long.concat();
    for n in 1..=150 {
        let line = format!("Rough level {n}\n");
        assert!(all.contains(&line) || all.contains(&format!("Rough level {n} ")), "{n}");
    }
    // What must not be cut says so.
    let bad = Page { passed: false, verdict: "2 findings forbid cutting".into(), ..page(1) };
    assert!(read(&pdf(&[bad], Format::A4).unwrap())[0].contains("DO NOT CUT: 2 findings"));
    assert!(Format::of("A4") == Some(Format::A4) && Format::of("foolscap").is_none());
}

/// What stands between the part and the person is drawn as an outline only; a jaw behind it is behind.
#[test]
fn the_front_is_the_front() {
    let at = |a: [f64; 3], b: [f64; 3]| Box3 { min: a.into(), max: b.into() };
    let v = |x: f64, y: f64, z: f64| DVec3::new(x, y, z);
    // A wedge: 20 wide, 10 deep, 8 high on the left and 2 on the right.
    let points = vec![
        v(0., 0., 0.),
        v(20., 0., 0.),
        v(20., 10., 0.),
        v(0., 10., 0.),
        v(0., 0., 8.),
        v(20., 0., 2.),
        v(20., 10., 2.),
        v(0., 10., 8.),
    ];
    let quads: [[u32; 4]; 6] = [[0, 3, 2, 1], [4, 5, 6, 7], [0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7]];
    let triangles: Vec<[u32; 3]> = quads.iter().flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]]).collect();
    let part = TriMesh { points, triangles, face: (0..12).collect() };
    let held = [
        Held { name: "moving jaw".into(), body: Body::Box(at([-5.0, -20.0, -10.0], [25.0, 0.0, 3.0])) },
        Held { name: "fixed jaw".into(), body: Body::Box(at([-5.0, 10.0, -10.0], [25.0, 30.0, 3.0])) },
        Held {
            name: "nest".into(),
            body: Body::Layers(vec![(
                -10.0,
                -2.0,
                vec![vec![(0.0, 0.0).into(), (20.0, 0.0).into(), (20.0, 10.0).into(), (0.0, 10.0).into()]],
            )]),
        },
    ];
    let front = paper::from_the_front(&part, None, &held);
    let tone = |p: &Picture, n: &str| p.shapes.iter().find(|s| s.name == n).map(|s| s.tone);
    assert_eq!((tone(&front, "moving jaw"), tone(&front, "fixed jaw")), (Some(Tone::Front), Some(Tone::Hold)));
    assert_eq!(front.shapes.last().unwrap().name, "moving jaw", "what is nearest is drawn last");
    // The wedge is seen as it stands: 20 wide, 8 high on the left.
    let own = front.shapes.iter().find(|s| s.tone == Tone::Part).unwrap();
    let area: f64 =
        own.loops.iter().map(|l| (0..l.len()).map(|k| l[k].perp_dot(l[(k + 1) % l.len()])).sum::<f64>() / 2.0).sum();
    assert!((area.abs() - 20.0 * 5.0).abs() < 0.5, "{area}");
    assert!(own.loops[0].iter().any(|p| p.x.abs() < 0.05 && (p.y - 8.0).abs() < 0.05));
    // Layers are as high as they are, and from above as wide.
    let nest = front.shapes.iter().find(|s| s.name == "nest").unwrap();
    let ys: Vec<f64> = nest.loops[0].iter().map(|p| p.y).collect();
    assert!(ys.iter().all(|y| (*y + 10.0).abs() < 1e-6 || (*y + 2.0).abs() < 1e-6), "{ys:?}");
    let above = paper::from_above(&part, Some(&at([-1.0, -1.0, -1.0], [21.0, 11.0, 9.0])), &held);
    assert!(above.shapes.iter().any(|s| s.tone == Tone::Stock) && above.axes == ["X", "Y"]);
}
