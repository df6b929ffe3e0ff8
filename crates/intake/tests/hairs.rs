//! Files whose numbers are rounded apart by hairs, as writers that think in inch leave them, and solids whose volume the plain integral
//! misses.

use kernel::shape::Shape;
use std::f64::consts::{PI, TAU};

/// Entities of a STEP file, numbered as they come.
#[derive(Default)]
struct Step(Vec<String>);

impl Step {
    fn add(&mut self, entity: String) -> usize {
        self.0.push(entity);
        self.0.len()
    }
    fn point(&mut self, p: [f64; 3]) -> usize {
        self.add(format!("CARTESIAN_POINT('',({:?},{:?},{:?}))", p[0], p[1], p[2]).replace('e', "E"))
    }
    fn dir(&mut self, d: [f64; 3]) -> usize {
        self.add(format!("DIRECTION('',({:?},{:?},{:?}))", d[0], d[1], d[2]).replace('e', "E"))
    }
    fn axes(&mut self, at: [f64; 3], axis: [f64; 3], across: [f64; 3]) -> usize {
        let (p, a, b) = (self.point(at), self.dir(axis), self.dir(across));
        self.add(format!("AXIS2_PLACEMENT_3D('',#{p},#{a},#{b})"))
    }
    fn vertex(&mut self, at: [f64; 3]) -> usize {
        let p = self.point(at);
        self.add(format!("VERTEX_POINT('',#{p})"))
    }
    /// A full circle about x through a vertex.
    fn circle(&mut self, vertex: usize, at: [f64; 3], sense: f64, across: [f64; 3], r: f64) -> usize {
        let a = self.axes(at, [sense, 0.0, 0.0], across);
        let c = self.add(format!("CIRCLE('',#{a},{r:?})"));
        self.add(format!("EDGE_CURVE('',#{vertex},#{vertex},#{c},.T.)"))
    }
    fn line(&mut self, [from, to]: [usize; 2], at: [f64; 3], dir: [f64; 3]) -> usize {
        let (p, d) = (self.point(at), self.dir(dir));
        let v = self.add(format!("VECTOR('',#{d},1.)"));
        let l = self.add(format!("LINE('',#{p},#{v})"));
        self.add(format!("EDGE_CURVE('',#{from},#{to},#{l},.T.)"))
    }
    fn face(&mut self, bounds: &[&[(usize, bool)]], surface: usize, same: bool) -> usize {
        let flag = |b: bool| if b { ".T." } else { ".F." };
        let mut list = Vec::new();
        for b in bounds {
            let uses: Vec<String> = b
                .iter()
                .map(|(e, on)| self.add(format!("ORIENTED_EDGE('',*,*,#{e},{})", flag(*on))))
                .map(|n| format!("#{n}"))
                .collect();
            let l = self.add(format!("EDGE_LOOP('',({}))", uses.join(",")));
            let n = self.add(format!("FACE_BOUND('',#{l},.T.)"));
            list.push(format!("#{n}"));
        }
        self.add(format!("ADVANCED_FACE('',({}),#{surface},{})", list.join(","), flag(same)))
    }
}

/// A disc with a countersunk hole lying along x, sizes in inch, as a writer of another kernel than ours leaves it: every round face has one
/// closed edge at each end and a seam that begins half a turn from the surface's own zero, and directions miss each other by `hair`.
fn disc([r, hole, thick, sink]: [f64; 4], hair: f64, file: &std::path::Path) {
    let mut s = Step::default();
    let across = [0.0, -1.0, hair];
    let z = 1.08267716535433;
    let (back, front) = (-0.748031496062992, -0.748031496062992 + thick);
    let end = back + sink;
    let on = |x: f64, r: f64| [x, r + 1.13404413564787e-14, z];
    let mid = |x: f64| [x, 1.13404413564787e-14, z];
    let (v1, v2, v3) = (s.vertex(on(front, r)), s.vertex(on(back, r)), s.vertex(on(back, hole + sink)));
    let (v4, v5) = (s.vertex(on(front, hole)), s.vertex(on(end, hole)));
    let flat = [0.0, -1.0, 0.0];
    let c1 = s.circle(v1, mid(front), -1.0, flat, r);
    let c2 = s.circle(v2, mid(back), 1.0, flat, r);
    let c3 = s.circle(v3, mid(back), -1.0, across, hole + sink);
    let c4 = s.circle(v4, mid(front), -1.0, across, hole);
    let c5 = s.circle(v5, mid(end), -1.0, across, hole);
    let l1 = s.line([v1, v2], on(back, r), [-1.0, 0.0, 0.0]);
    let l2 = s.line([v4, v5], on(back, hole), [-1.0, 0.0, 0.0]);
    let h = std::f64::consts::FRAC_1_SQRT_2;
    let l3 = s.line([v5, v3], on(back, hole + sink), [-h, h, -h * hair]);
    let a = s.axes(mid(back), [1.0, 0.0, 0.0], flat);
    let outer = s.add(format!("CYLINDRICAL_SURFACE('',#{a},{r:?})"));
    let a = s.axes(mid(front), [-1.0, 0.0, 0.0], across);
    let bore = s.add(format!("CYLINDRICAL_SURFACE('',#{a},{hole:?})"));
    let a = s.axes(mid(back), [-1.0, 0.0, 0.0], across);
    let cone = s.add(format!("CONICAL_SURFACE('',#{a},{:?},0.785398163397449)", hole + sink));
    let a = s.axes([back, 1.5, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, -1.0]);
    let low = s.add(format!("PLANE('',#{a})"));
    let a = s.axes([front, 0.5, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0]);
    let high = s.add(format!("PLANE('',#{a})"));
    let faces = [
        s.face(&[&[(c1, true), (l1, true), (c2, true), (l1, false)]], outer, true),
        s.face(&[&[(c2, false)], &[(c3, false)]], low, false),
        s.face(&[&[(c1, false)], &[(c4, true)]], high, false),
        s.face(&[&[(c4, false), (l2, true), (c5, true), (l2, false)]], bore, false),
        s.face(&[&[(c5, false), (l3, true), (c3, true), (l3, false)]], cone, false),
    ];
    let faces = faces.map(|f| format!("#{f}")).join(",");
    let shell = s.add(format!("CLOSED_SHELL('',({faces}))"));
    let solid = s.add(format!("MANIFOLD_SOLID_BREP('disc',#{shell})"));
    let none = s.add("DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.)".into());
    let mm = s.add("( LENGTH_UNIT() NAMED_UNIT(*) SI_UNIT(.MILLI.,.METRE.) )".into());
    let of = s.add(format!("LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(25.4),#{mm})"));
    let inch = s.add(format!("( CONVERSION_BASED_UNIT('inch',#{of}) LENGTH_UNIT() NAMED_UNIT(#{none}) )"));
    let rad = s.add("( NAMED_UNIT(*) PLANE_ANGLE_UNIT() SI_UNIT($,.RADIAN.) )".into());
    let sr = s.add("( NAMED_UNIT(*) SI_UNIT($,.STERADIAN.) SOLID_ANGLE_UNIT() )".into());
    let near = s.add(format!("UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(0.0004),#{inch},'','')"));
    let context = s.add(format!(
        "( GEOMETRIC_REPRESENTATION_CONTEXT(3) GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((#{near})) GLOBAL_UNIT_ASSIGNED_CONTEXT((#{inch},#{rad},#{sr})) REPRESENTATION_CONTEXT('','3D') )"
    ));
    let shape = s.add(format!("ADVANCED_BREP_SHAPE_REPRESENTATION('',(#{solid}),#{context})"));
    let app = s.add("APPLICATION_CONTEXT('mechanical')".into());
    let pc = s.add(format!("PRODUCT_CONTEXT('',#{app},'mechanical')"));
    let product = s.add(format!("PRODUCT('disc','disc',$,(#{pc}))"));
    let formation = s.add(format!("PRODUCT_DEFINITION_FORMATION('',$,#{product})"));
    let dc = s.add(format!("PRODUCT_DEFINITION_CONTEXT('part definition',#{app},'design')"));
    let definition = s.add(format!("PRODUCT_DEFINITION('disc','',#{formation},#{dc})"));
    let of_product = s.add(format!("PRODUCT_DEFINITION_SHAPE('',$,#{definition})"));
    s.add(format!("SHAPE_DEFINITION_REPRESENTATION(#{of_product},#{shape})"));
    let data: String = s.0.iter().enumerate().map(|(k, e)| format!("#{}={e};\n", k + 1)).collect();
    let head = "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('disc.step','',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 3 1 1 }'));\nENDSEC;\nDATA;\n";
    std::fs::write(file, format!("{head}{data}ENDSEC;\nEND-ISO-10303-21;\n")).unwrap();
}

/// Its volume, mm³.
fn volume_of([r, hole, thick, sink]: [f64; 4]) -> f64 {
    let frustum = PI * sink / 3.0 * ((hole + sink).powi(2) + (hole + sink) * hole + hole * hole);
    25.4_f64.powi(3) * (PI * (r * r - hole * hole) * thick - (frustum - PI * hole * hole * sink))
}

#[test]
fn seams_that_miss_by_a_hair_are_meshed() {
    let mut rng = fastrand::Rng::with_seed(77);
    let dir = tempfile::tempdir().unwrap();
    for k in 0..40 {
        let mut between = |lo: f64, hi: f64| lo + (hi - lo) * rng.f64();
        let (r, hole, thick) = (between(0.35, 0.6), between(0.08, 0.2), between(0.2, 0.4));
        let sink = between(0.05, (thick - 0.03).min(r - hole - 0.03));
        let sizes = [r, hole, thick, sink];
        // The first is as it was met.
        let sizes =
            if k == 0 { [0.532145256772786, 0.216535433070866, 0.275590551181102, 0.234409448818898] } else { sizes };
        let file = dir.path().join("disc.step");
        disc(sizes, if k == 0 { 1.04744440165294e-14 } else { between(-3e-14, 3e-14) }, &file);
        let volume = volume_of(sizes);
        let m = intake::read_trusted(&file).unwrap();
        assert!((m.raw.solids[0].volume - volume).abs() < 1e-6 * volume, "{k} {} {volume}", m.raw.solids[0].volume);
        assert!(m.raw.faces.iter().all(|f| f.triangle_count > 0), "{k}: a face is bare");
        assert!((m.raw.mesh_volume(0) - volume).abs() < 2e-3 * volume, "{k}");
    }
}

/// A coil: a square section swept by lofting through many turned places is a spline of some turns.
#[test]
fn the_volume_of_a_solid_of_splines_is_that_of_its_triangles() {
    let section = |k: usize| -> (Vec<kernel::shape::Piece>, f64) {
        let a = k as f64 / 24.0 * TAU * 0.25;
        let at =
            |u: f64, v: f64| [12.0 * a.cos() + u * a.cos() - v * a.sin(), 12.0 * a.sin() + u * a.sin() + v * a.cos()];
        let corners = [at(-4.0, -2.0), at(4.0, -2.0), at(4.0, 2.0), at(-4.0, 2.0)].map(|c| (c, 0.0));
        (kernel::shape::rounded_polygon(&corners), 3.0 * k as f64)
    };
    let sections: Vec<_> = (0..25).map(section).collect();
    let solid = Shape::loft(&sections).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("coil.step");
    solid.write_step(&file).unwrap();
    let m = intake::read_trusted(&file).unwrap();
    // Every level section is the same rectangle (Cavalieri).
    let wanted = 8.0 * 4.0 * 72.0;
    assert!((m.raw.solids[0].volume / wanted - 1.0).abs() < 2e-3, "{} {wanted}", m.raw.solids[0].volume);
    assert!((m.raw.mesh_volume(0) / m.raw.solids[0].volume - 1.0).abs() < 2e-3);
}
