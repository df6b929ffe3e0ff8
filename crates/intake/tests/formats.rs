//! Formats against solids whose faces and volumes are known.

use intake::{LayerUse, LengthUnit, Model, Reading, read_here, write_stl};
use kernel::shape::{Shape, rounded_polygon};
use kernel::{Meshing, RawModel, RawSurface};
use std::f64::consts::PI;
use std::io::Write;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// 60 × 40 × 12 with a through hole Ø8, a countersunk hole, round corners and one inclined hole.
fn block() -> Shape {
    let o = rounded_polygon(&[([0.0, 0.0], 5.0), ([60.0, 0.0], 5.0), ([60.0, 40.0], 5.0), ([0.0, 40.0], 5.0)]);
    let p = Shape::prism(&o, 0.0, 12.0).unwrap();
    let p = p.cut(&Shape::cylinder([15.0, 20.0, -1.0], UP, 4.0, 14.0).unwrap()).unwrap();
    let p = p.cut(&Shape::cylinder([40.0, 20.0, -1.0], UP, 2.5, 14.0).unwrap()).unwrap();
    let p = p.cut(&Shape::cone([40.0, 20.0, 9.0], UP, 2.5, 5.5, 3.0).unwrap()).unwrap();
    let a = 30f64.to_radians();
    p.cut(&Shape::cylinder([50.0, 30.0, -5.0], [a.sin(), 0.0, a.cos()], 1.5, 40.0).unwrap()).unwrap()
}

fn read(bytes: &[u8], reading: &Reading) -> Result<Model, String> {
    let f = tempfile::NamedTempFile::new().unwrap();
    f.as_file().write_all(bytes).unwrap();
    read_here(f.path(), reading, &Meshing::default())
}

fn kinds(m: &RawModel) -> [usize; 5] {
    let mut n = [0; 5];
    for f in &m.faces {
        n[match f.surface {
            RawSurface::Plane { .. } => 0,
            RawSurface::Cylinder { .. } => 1,
            RawSurface::Cone { .. } => 2,
            RawSurface::Sphere { .. } => 3,
            _ => 4,
        }] += 1;
    }
    n
}

fn radii(m: &RawModel) -> Vec<f64> {
    let mut r: Vec<f64> = m
        .faces
        .iter()
        .filter_map(|f| if let RawSurface::Cylinder { radius, .. } = f.surface { Some(radius) } else { None })
        .collect();
    r.sort_by(f64::total_cmp);
    r
}

#[test]
fn a_mesh_gets_back_the_faces_it_was_made_from() {
    for (chord, angle) in [(0.001, 0.2), (0.05, 0.5)] {
        let exact = block().read(&Meshing { chord_mm: chord, angle_rad: angle }).unwrap();
        let stl = write_stl(&exact.vertices, &exact.triangles);
        let m = read(&stl, &Reading::default()).unwrap().raw;
        assert_eq!(kinds(&m), kinds(&exact), "chord {chord}");
        for (a, b) in radii(&m).iter().zip(radii(&exact)) {
            assert!((a - b).abs() < 2e-4, "{a} {b}");
        }
        assert!(m.edges.iter().all(|e| !e.open));
        assert!((m.solids[0].volume / exact.mesh_volume(0) - 1.0).abs() < 1e-6);
        assert!(m.fitted.unwrap() < 1e-3, "{:?}", m.fitted);
        // The stated error covers what the chords cut off.
        assert!(m.chord_error > 0.3 * chord && m.chord_error < 3.0 * chord + 1e-3, "{} {chord}", m.chord_error);
    }
}

#[test]
fn text_and_binary_stl_say_the_same() {
    let exact = block().read(&Meshing { chord_mm: 0.02, angle_rad: 0.4 }).unwrap();
    let mut text = String::from("solid block\n");
    for t in &exact.triangles {
        text.push_str(" facet normal 0 0 0\n  outer loop\n");
        for c in t.map(|k| exact.vertices[k as usize]) {
            text.push_str(&format!("   vertex {:e} {:e} {:e}\n", c[0] as f32, c[1] as f32, c[2] as f32));
        }
        text.push_str("  endloop\n endfacet\n");
    }
    text.push_str("endsolid block\n");
    let a = read(text.as_bytes(), &Reading::default()).unwrap().raw;
    let mut binary = write_stl(&exact.vertices, &exact.triangles);
    binary[..5].copy_from_slice(b"solid");
    let b = read(&binary, &Reading::default()).unwrap().raw;
    assert_eq!((a.format.as_str(), b.format.as_str()), ("STL, text", "STL, binary"));
    assert_eq!(kinds(&a), kinds(&b));
    assert!((a.solids[0].volume / b.solids[0].volume - 1.0).abs() < 1e-7);
}

#[test]
fn an_inside_out_mesh_is_turned_and_an_open_one_is_told() {
    let exact = block().read(&Meshing { chord_mm: 0.02, angle_rad: 0.4 }).unwrap();
    let inside_out: Vec<[u32; 3]> = exact.triangles.iter().map(|t| [t[0], t[2], t[1]]).collect();
    let m = read(&write_stl(&exact.vertices, &inside_out), &Reading::default()).unwrap().raw;
    assert!(m.solids[0].volume > 0.0 && m.remarks.iter().any(|r| r.contains("turned round")));
    // Without what meets at the far corner the opening has no plane, and nobody closes it.
    let far = |k: &u32| exact.vertices[*k as usize].iter().sum::<f64>();
    let corner = (0..exact.vertices.len() as u32).max_by(|a, b| far(a).total_cmp(&far(b))).unwrap();
    let rest: Vec<[u32; 3]> = exact.triangles.iter().filter(|t| !t.contains(&corner)).copied().collect();
    let m = read(&write_stl(&exact.vertices, &rest), &Reading::default()).unwrap().raw;
    assert!(m.edges.iter().any(|e| e.open) && m.sewn == 0);
}

fn zip_of(files: &[(&str, &str)]) -> Vec<u8> {
    let mut z = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, text) in files {
        z.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
        z.write_all(text.as_bytes()).unwrap();
    }
    z.finish().unwrap().into_inner()
}

/// A cube of edge 1 from the origin as a 3MF mesh.
fn cube() -> String {
    let exact = Shape::block([0.0; 3], [1.0; 3]).unwrap().read(&Meshing::default()).unwrap();
    let v: String =
        exact.vertices.iter().map(|p| format!(r#"<vertex x="{}" y="{}" z="{}"/>"#, p[0], p[1], p[2])).collect();
    let t: String =
        exact.triangles.iter().map(|t| format!(r#"<triangle v1="{}" v2="{}" v3="{}"/>"#, t[0], t[1], t[2])).collect();
    format!("<mesh><vertices>{v}</vertices><triangles>{t}</triangles></mesh>")
}

fn threemf(model: &str) -> Vec<u8> {
    let rels = r#"<Relationships><Relationship Id="r" Target="/3D/part.model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>"#;
    zip_of(&[("_rels/.rels", rels), ("3D/part.model", model)])
}

#[test]
fn a_3mf_with_units_components_and_a_mirror() {
    let m = format!(
        r#"<?xml version="1.0"?><model unit="inch"><resources><object id="1" name="cube">{}</object>
        <object id="2" name="pair"><components><component objectid="1"/>
        <component objectid="1" transform="-1 0 0 0 1 0 0 0 1 5 0 0"/></components></object></resources>
        <build><item objectid="2" transform="2 0 0 0 2 0 0 0 2 0 0 0"/></build></model>"#,
        cube()
    );
    let m = read(&threemf(&m), &Reading::default()).unwrap().raw;
    assert_eq!((m.solids.len(), m.length_units.as_slice()), (2, ["inch".to_string()].as_slice()));
    for s in &m.solids {
        assert!((s.volume / (2.0f64 * 25.4).powi(3) - 1.0).abs() < 1e-9 && s.name == "pair");
    }
    // The mirrored one lies between 8 and 10 inch.
    let far = m.vertices.iter().map(|p| p[0]).fold(0.0, f64::max);
    assert!((far - 10.0 * 25.4).abs() < 1e-9);
    assert_eq!(kinds(&m)[0], 12);
}

#[test]
fn hostile_3mf_is_refused_in_a_sentence() {
    let loops = r#"<model><resources><object id="1"><components><component objectid="1"/></components></object></resources><build><item objectid="1"/></build></model>"#;
    assert!(read(&threemf(loops), &Reading::default()).unwrap_err().contains("contain one another"));
    let entity = r#"<!DOCTYPE model [<!ENTITY x SYSTEM "file:///etc/passwd">]><model><resources/><build/></model>"#;
    assert!(read(&threemf(entity), &Reading::default()).unwrap_err().contains("document type"));
    // 16 levels of 50 children each: more branches than anybody could follow.
    let many: String = (1..16)
        .map(|k| {
            format!(
                r#"<object id="{k}"><components>{}</components></object>"#,
                format!(r#"<component objectid="{}"/>"#, k + 1).repeat(50)
            )
        })
        .collect();
    let tree =
        format!(r#"<model><resources>{many}<object id="16"/></resources><build><item objectid="1"/></build></model>"#);
    assert!(read(&threemf(&tree), &Reading::default()).unwrap_err().contains("too often"));
    let mut bomb = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    bomb.start_file("3D/3dmodel.model", zip::write::SimpleFileOptions::default()).unwrap();
    for _ in 0..220 {
        bomb.write_all(&vec![b' '; 1 << 20]).unwrap();
    }
    let bomb = bomb.finish().unwrap().into_inner();
    assert!(bomb.len() < 1 << 20);
    assert!(read(&bomb, &Reading::default()).unwrap_err().contains("MB"));
    assert!(read(&zip_of(&[("hello.txt", "hello")]), &Reading::default()).unwrap_err().contains("without a 3D model"));
}

fn dxf(units: &str, entities: &str) -> Vec<u8> {
    format!("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n{units}\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n{entities}0\nENDSEC\n0\nEOF\n")
        .into_bytes()
}

/// A closed polyline 80 × 50 whose right end is a half circle by a bulge of 1.
fn outline(layer: &str, f: f64) -> String {
    format!(
        "0\nLWPOLYLINE\n8\n{layer}\n90\n4\n70\n1\n10\n0\n20\n0\n10\n{0}\n20\n0\n42\n1\n10\n{0}\n20\n{1}\n10\n0\n20\n{1}\n",
        80.0 * f,
        50.0 * f
    )
}

fn circle(layer: &str, x: f64, y: f64, r: f64) -> String {
    format!("0\nCIRCLE\n8\n{layer}\n10\n{x}\n20\n{y}\n30\n0\n40\n{r}\n")
}

#[test]
fn an_outline_becomes_a_plate_by_its_layers() {
    let text = outline("PLATE_8", 1.0) + &circle("HOLES", 20.0, 25.0, 4.0) + &circle("POCKET_3", 60.0, 25.0, 10.0);
    let m = read(&dxf("4", &text), &Reading::default()).unwrap();
    let d = m.drawing.as_ref().unwrap();
    assert_eq!((d.thickness, d.scale), (8.0, 1.0));
    assert!(d.layers.iter().any(|l| l.name == "POCKET_3" && l.used == LayerUse::Pocket { depth: 3.0 }));
    let area = 80.0 * 50.0 + PI * 25.0 * 25.0 / 2.0;
    let want = 8.0 * (area - PI * 16.0) - 3.0 * PI * 100.0;
    assert!((m.raw.solids[0].volume - want).abs() < 1e-6 * want, "{} {want}", m.raw.solids[0].volume);
    assert_eq!(radii(&m.raw), [4.0, 10.0, 25.0]);
    // A person says otherwise.
    let mut r = Reading::default();
    r.drawing.thickness = Some(5.0);
    r.drawing.layers.insert("POCKET_3".into(), LayerUse::Ignore);
    let v = read(&dxf("4", &text), &r).unwrap().raw.solids[0].volume;
    assert!((v - 5.0 * (area - PI * 16.0)).abs() < 1e-6 * v);
}

#[test]
fn the_headers_unit_gives_way_to_the_size() {
    // 3.15 units long: an inch drawing, whatever the header says.
    let m = read(&dxf("4", &outline("0", 1.0 / 25.4)), &Reading::default()).unwrap();
    assert_eq!(m.drawing.unwrap().scale, 25.4);
    let r = Reading { unit: Some(LengthUnit::Mm), ..Default::default() };
    assert_eq!(read(&dxf("1", &outline("0", 1.0)), &r).unwrap().drawing.unwrap().scale, 1.0);
}

#[test]
fn loose_lines_are_joined_and_open_ones_told() {
    let line =
        |a: [f64; 2], b: [f64; 2]| format!("0\nLINE\n8\n0\n10\n{}\n20\n{}\n11\n{}\n21\n{}\n", a[0], a[1], b[0], b[1]);
    let square = line([0.0, 0.0], [30.0, 0.0])
        + &line([30.0, 20.0], [30.01, 0.0])
        + &line([0.0, 20.0], [30.0, 20.0])
        + &line([0.0, 20.0], [0.0, 0.0]);
    let m = read(&dxf("0", &square), &Reading::default()).unwrap();
    assert!((m.raw.solids[0].volume - 6000.0).abs() < 5.0);
    assert!(m.raw.remarks.iter().any(|r| reason::plain(r).contains("0.010 mm")), "{:?}", m.raw.remarks);
    let e = read(&dxf("0", &line([0.0, 0.0], [30.0, 0.0])), &Reading::default()).unwrap_err();
    assert!(e.contains("close the contour"), "{e}");
    let island = outline("0", 1.0) + &circle("0", 40.0, 25.0, 20.0) + &circle("0", 40.0, 25.0, 8.0);
    let m = read(&dxf("4", &island), &Reading::default()).unwrap();
    assert_eq!(m.raw.solids.len(), 2);
}

#[test]
fn blocks_splines_and_ellipses() {
    // A block with a circle, inserted twice, once turned and stretched evenly.
    let text = "0\nSECTION\n2\nBLOCKS\n0\nBLOCK\n8\n0\n2\nHOLE\n70\n0\n10\n0\n20\n0\n30\n0\n0\nCIRCLE\n8\n0\n10\n5\n20\n0\n30\n0\n40\n2\n0\nENDBLK\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
    let body = text.to_string()
        + &outline("0", 1.0)
        + "0\nINSERT\n8\n0\n2\nHOLE\n10\n15\n20\n25\n30\n0\n0\nINSERT\n8\n0\n2\nHOLE\n10\n50\n20\n25\n30\n0\n41\n1.5\n42\n1.5\n43\n1.5\n50\n90\n"
        + "0\nELLIPSE\n8\n0\n10\n75\n20\n25\n30\n0\n11\n6\n21\n0\n31\n0\n40\n0.5\n41\n0\n42\n6.283185307179586\n"
        + "0\nENDSEC\n0\nEOF\n";
    let m = read(body.as_bytes(), &Reading::default()).unwrap();
    let area = 80.0 * 50.0 + PI * 25.0 * 25.0 / 2.0 - PI * 4.0 - PI * 9.0 - PI * 18.0;
    let v = m.raw.solids[0].volume;
    assert!((v / (10.0 * area) - 1.0).abs() < 1e-5, "{v} {}", 10.0 * area);
    assert!(m.raw.remarks.iter().any(|r| r.contains("fitted by arcs")));
}
