//! A picture of a setup for screens: outlines as SVG, readable on light and on dark.

use crate::picture::{Picture, Tone};
use geom::DVec2;
use std::fmt::Write;

/// Empty room around, as a share of the larger side.
const ROOM: f64 = 0.06;

/// One drawing. Lengths are mm; what is drawn thin is so whatever the size.
pub fn svg(p: &Picture) -> String {
    let points = || p.shapes.iter().flat_map(|s| s.loops.iter().flatten()).chain([&DVec2::ZERO]);
    let lo = points().fold(DVec2::INFINITY, |a, b| a.min(*b));
    let hi = points().fold(DVec2::NEG_INFINITY, |a, b| a.max(*b));
    let room = (hi - lo).max_element() * ROOM;
    let (lo, hi) = (lo - room, hi + room);
    let size = hi - lo;
    let letter = size.max_element() * 0.05;
    let mut out = format!(
        r##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="{:.2} {:.2} {:.2} {:.2}" role="img"><rect x="{:.2}" y="{:.2}" width="100%" height="100%" fill="#fdfcf7"/>"##,
        lo.x, -hi.y, size.x, size.y, lo.x, -hi.y
    );
    for s in &p.shapes {
        let look = match s.tone {
            Tone::Hold => r##"fill="#dcd8cb" stroke="#8d8a7d""##,
            Tone::Front => r##"fill="none" stroke="#8d8a7d" stroke-dasharray="6 3""##,
            Tone::Stock => r##"fill="#f5e9c9" stroke="#745509" stroke-dasharray="5 3""##,
            Tone::Part => r##"fill="#c3cad3" fill-rule="evenodd" stroke="#1b1f24""##,
        };
        let mut d = String::new();
        for l in &s.loops {
            for (k, q) in l.iter().enumerate() {
                // Writing into a string cannot fail.
                let _ = write!(d, "{}{:.2} {:.2}", if k == 0 { "M" } else { "L" }, q.x, -q.y);
            }
            d.push('Z');
        }
        let _ = write!(out, r#"<path d="{d}" {look} vector-effect="non-scaling-stroke"/>"#);
    }
    let [right, up] = p.axes;
    let arm = letter * 1.6;
    let _ = write!(
        out,
        r##"<path d="M{:.2} 0H{arm:.2}M0 {:.2}V{:.2}" stroke="#1d4f91" stroke-width="2.5" fill="none" vector-effect="non-scaling-stroke"/><text x="{:.2}" y="{:.2}" font-size="{letter:.2}" font-family="sans-serif" font-weight="600" fill="#1d4f91" stroke="#fdfcf7" stroke-width="4" paint-order="stroke" vector-effect="non-scaling-stroke">{right}0 {up}0</text></svg>"##,
        -arm / 3.0,
        arm / 3.0,
        -arm,
        letter * 0.3,
        letter * 1.1
    );
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::Shape;

    #[test]
    fn all_is_in_view_and_upwards_is_up() {
        let square = vec![DVec2::new(10.0, 5.0), DVec2::new(30.0, 5.0), DVec2::new(30.0, 25.0)];
        let shape = Shape { tone: Tone::Part, name: String::new(), loops: vec![square] };
        let s = svg(&Picture { title: "From above".into(), axes: ["X", "Y"], shapes: vec![shape] });
        // From the zero to the far corner, with room around.
        assert!(s.contains(r#"viewBox="-1.80 -26.80 33.60 28.60""#), "{s}");
        assert!(s.contains("M10.00 -5.00L30.00 -5.00L30.00 -25.00Z") && s.contains("X0 Y0"));
        // Nothing in it but what we wrote.
        assert_eq!(s.matches('<').count(), s.matches('>').count());
    }
}
