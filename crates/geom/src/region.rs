//! Planar regions with holes: booleans and offsets by Clipper2's algorithm (Vatti 1992, as ported in `clipper2-rust`) on a
//! grid of 1 nm.

use c2::{ClipType, EndType, FillRule, JoinType, Path64, Paths64, Point64};
use clipper2_rust as c2;
use glam::DVec2;

const GRID: f64 = 1e6;
/// How an offset goes round a convex corner.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Join {
    /// A true circle (the Minkowski sum with a disc).
    Round,
    /// Sides prolonged until they meet, up to twice the distance.
    Miter,
}

/// A set of points in the plane, bounded by closed polylines; outer ones counter-clockwise, holes clockwise.
#[derive(Debug, Clone, Default)]
pub struct Region {
    paths: Paths64,
}

fn pt(p: DVec2) -> Point64 {
    Point64::new((p.x * GRID).round() as i64, (p.y * GRID).round() as i64)
}

fn dv(p: &Point64) -> DVec2 {
    DVec2::new(p.x as f64, p.y as f64) / GRID
}

/// A corner nearer to a segment than this lies on it, mm: some steps of the grid.
const PASSING: f64 = 2e-5;

impl Region {
    /// Nothing.
    pub fn empty() -> Self {
        Self::default()
    }
    /// From closed loops, filled where the winding number is not zero.
    pub fn from_loops<'a>(loops: impl IntoIterator<Item = &'a [DVec2]>) -> Self {
        let raw: Paths64 = loops.into_iter().map(|l| l.iter().map(|&p| pt(p)).collect::<Path64>()).collect();
        Region { paths: c2::union_subjects_64(&raw, FillRule::NonZero) }
    }
    /// From loops that are oriented as boundaries of one valid set: filled where the winding number is positive.
    pub fn from_oriented(loops: &[Vec<DVec2>]) -> Self {
        let raw: Paths64 = loops.iter().map(|l| l.iter().map(|&p| pt(p)).collect::<Path64>()).collect();
        Region { paths: c2::union_subjects_64(&raw, FillRule::Positive) }
    }
    /// An axis-parallel rectangle.
    pub fn rect(min: DVec2, max: DVec2) -> Self {
        Self::from_loops([&[min, DVec2::new(max.x, min.y), max, DVec2::new(min.x, max.y)][..]])
    }
    /// A disc whose polygon lies within `tol` of the circle, on its outside and inside alike.
    pub fn disc(center: DVec2, radius: f64, tol: f64) -> Self {
        let step = 2.0 * (1.0 - (2.0 * tol / radius).min(0.5)).acos();
        let n = (std::f64::consts::TAU / step).ceil().max(8.0) as usize;
        let r = radius + tol.min(0.25 * radius);
        let pts: Vec<DVec2> =
            (0..n).map(|k| center + DVec2::from_angle(std::f64::consts::TAU * k as f64 / n as f64) * r).collect();
        Self::from_loops([&pts[..]])
    }
    /// All points within `radius` of an open polyline.
    pub fn swept(points: &[DVec2], radius: f64, tol: f64) -> Self {
        let path: Path64 = points.iter().map(|&p| pt(p)).collect();
        Self::inflate(&vec![path], radius, JoinType::Round, EndType::Round, tol)
    }
    /// All points within `radius` of a polyline, but nothing beyond its ends; a line that ends where it starts is a ring.
    pub fn band(points: &[DVec2], radius: f64, tol: f64) -> Self {
        let mut path: Path64 = points.iter().map(|&p| pt(p)).collect();
        let closed = path.len() > 2 && path.first() == path.last();
        if closed {
            path.pop();
        }
        Self::inflate(&vec![path], radius, JoinType::Round, if closed { EndType::Joined } else { EndType::Butt }, tol)
    }
    /// Has it no points?
    pub fn is_empty(&self) -> bool {
        self.paths.is_empty()
    }
    /// mm².
    pub fn area(&self) -> f64 {
        self.paths.iter().map(loop_area).sum()
    }
    /// The boundary loops.
    pub fn loops(&self) -> Vec<Vec<DVec2>> {
        self.paths.iter().map(|p| p.iter().map(dv).collect()).collect()
    }
    /// Corners of the rectangle around it.
    pub fn bounds(&self) -> Option<(DVec2, DVec2)> {
        let mut it = self.paths.iter().flatten().map(dv);
        let first = it.next()?;
        Some(it.fold((first, first), |(a, b), p| (a.min(p), b.max(p))))
    }
    /// In either.
    pub fn union(&self, o: &Region) -> Region {
        Region { paths: c2::union_64(&self.paths, &o.paths, FillRule::NonZero) }
    }
    /// In any of them.
    pub fn union_all<'a>(all: impl IntoIterator<Item = &'a Region>) -> Region {
        let raw: Paths64 = all.into_iter().flat_map(|r| r.paths.iter().cloned()).collect();
        Region { paths: c2::union_subjects_64(&raw, FillRule::NonZero) }
    }
    /// In both.
    pub fn intersect(&self, o: &Region) -> Region {
        if self.is_empty() || o.is_empty() {
            return Region::empty();
        }
        Region { paths: c2::intersect_64(&self.paths, &o.paths, FillRule::NonZero) }
    }
    /// In this, not in the other.
    pub fn minus(&self, o: &Region) -> Region {
        if self.is_empty() || o.is_empty() {
            return self.clone();
        }
        Region { paths: c2::difference_64(&self.paths, &o.paths, FillRule::NonZero) }
    }
    fn inflate(paths: &Paths64, by: f64, join: JoinType, end: EndType, tol: f64) -> Region {
        let mut off = c2::ClipperOffset::new(2.0, tol * GRID, true, false);
        let polygon = matches!(end, EndType::Polygon);
        let heights = || paths.iter().flatten().map(|p| p.y);
        let (low, high) = (heights().min().unwrap_or(0), heights().max().unwrap_or(0));
        // The offsetter takes the sense of all loops from the outermost one along y: a sliver or a hole that a boolean left there, touching the border, would turn
        // growing into shrinking. Squares far beyond both ends are that one, and are taken away again.
        let side = (4.0 * by.abs() * GRID) as i64 + GRID as i64;
        if polygon {
            let square = |y: i64| vec![(0, y), (side, y), (side, y + side), (0, y + side)];
            let ballast = [low - 4 * side, high + 3 * side].into_iter();
            let ballast = ballast.map(|y| square(y).into_iter().map(|(x, y)| Point64::new(x, y)).collect());
            off.add_paths(&ballast.chain(paths.iter().cloned()).collect(), join, end);
        } else {
            off.add_paths(paths, join, end);
        }
        let mut out = Paths64::new();
        off.execute(by * GRID, &mut out);
        if polygon {
            out.retain(|l| l.iter().all(|p| p.y > low - 2 * side && p.y < high + 2 * side));
        }
        // Round joins put a point on every corner of a dense polygon: without this the count doubles with each offset.
        Region { paths: c2::simplify_paths(&out, 0.25 * tol * GRID, true) }
    }
    /// Grown (`by` > 0) or shrunk; arcs are polygons within `tol` mm.
    pub fn offset(&self, by: f64, join: Join, tol: f64) -> Region {
        if self.is_empty() || by == 0.0 {
            return self.clone();
        }
        let join = match join {
            Join::Round => JoinType::Round,
            Join::Miter => JoinType::Miter,
        };
        Self::inflate(&self.paths, by, join, EndType::Polygon, tol)
    }
    /// Grown by a disc.
    pub fn grown(&self, by: f64, tol: f64) -> Region {
        self.offset(by, Join::Round, tol)
    }
    /// Shrunk by a disc.
    pub fn shrunk(&self, by: f64, tol: f64) -> Region {
        self.offset(-by, Join::Round, tol)
    }
    /// Shrunk, then grown: what a disc of that radius can reach from inside.
    pub fn opened(&self, radius: f64, tol: f64) -> Region {
        self.shrunk(radius, tol).grown(radius, tol)
    }
    /// Area of what lies between two heights y, mm² (Green: of each edge the integral of x over y).
    pub fn area_between(&self, low: f64, high: f64) -> f64 {
        let edge = |a: DVec2, b: DVec2| {
            let (y0, y1) = (a.y.clamp(low, high), b.y.clamp(low, high));
            let x = |y: f64| a.x + (b.x - a.x) * (y - a.y) / (b.y - a.y);
            if y0 == y1 { 0.0 } else { (x(y0) + x(y1)) / 2.0 * (y1 - y0) }
        };
        self.loops().iter().map(|l| (0..l.len()).map(|k| edge(l[k], l[(k + 1) % l.len()])).sum::<f64>()).sum()
    }
    /// Elsewhere in the plane.
    pub fn shifted(&self, by: DVec2) -> Region {
        let by = pt(by);
        if (by.x, by.y) == (0, 0) {
            return self.clone();
        }
        let moved = |p: &Point64| Point64::new(p.x + by.x, p.y + by.y);
        Region { paths: self.paths.iter().map(|path| path.iter().map(moved).collect()).collect() }
    }
    /// Without points that stand out less than `eps` mm.
    pub fn simplified(&self, eps: f64) -> Region {
        let paths = c2::simplify_paths(&self.paths, eps * GRID, true);
        Region { paths: c2::union_subjects_64(&paths, FillRule::NonZero) }
    }
    /// Without loops that enclose less than `area` mm².
    pub fn without_specks(&self, area: f64) -> Region {
        Region { paths: self.paths.iter().filter(|p| loop_area(p).abs() >= area).cloned().collect() }
    }
    /// With its holes full.
    pub fn filled(&self) -> Region {
        let outer: Paths64 = self.paths.iter().filter(|p| loop_area(p) > 0.0).cloned().collect();
        Region { paths: c2::union_subjects_64(&outer, FillRule::NonZero) }
    }
    /// Is the point in it? Borders count.
    pub fn contains(&self, p: DVec2) -> bool {
        let q = pt(p);
        let mut inside = false;
        for path in &self.paths {
            match c2::point_in_polygon(q, path) {
                c2::PointInPolygonResult::IsOn => return true,
                c2::PointInPolygonResult::IsInside => inside = !inside,
                c2::PointInPolygonResult::IsOutside => {}
            }
        }
        inside
    }
    /// Connected pieces, each with its holes, largest first.
    pub fn components(&self) -> Vec<Region> {
        let (outer, holes): (Vec<&Path64>, Vec<&Path64>) = self.paths.iter().partition(|p| loop_area(p) > 0.0);
        let mut parts: Vec<(f64, Paths64)> = outer.iter().map(|p| (loop_area(p), vec![(*p).clone()])).collect();
        parts.sort_by(|a, b| b.0.total_cmp(&a.0));
        for h in holes {
            // The smallest outer loop around the hole owns it.
            let inside = |outer: &Path64| {
                h.iter().find_map(|&p| match c2::point_in_polygon(p, outer) {
                    c2::PointInPolygonResult::IsInside => Some(true),
                    c2::PointInPolygonResult::IsOutside => Some(false),
                    c2::PointInPolygonResult::IsOn => None,
                })
            };
            if let Some(k) = (0..parts.len())
                .rev()
                .find(|&k| parts[k].0 > loop_area(h).abs() && inside(&parts[k].1[0]) == Some(true))
            {
                parts[k].1.push(h.clone());
            }
        }
        parts.into_iter().map(|(_, paths)| Region { paths }).collect()
    }
    /// The parts of open polylines that lie inside it, or outside.
    pub fn clip_lines(&self, lines: &[Vec<DVec2>], inside: bool) -> Vec<Vec<DVec2>> {
        let subject: Paths64 = lines.iter().map(|l| l.iter().map(|&p| pt(p)).collect::<Path64>()).collect();
        let mut clipper = c2::Clipper64::new();
        clipper.add_open_subject(&subject);
        clipper.add_clip(&self.paths);
        let (mut closed, mut open) = (Paths64::new(), Paths64::new());
        let kind = if inside { ClipType::Intersection } else { ClipType::Difference };
        clipper.execute(kind, FillRule::NonZero, &mut closed, Some(&mut open));
        open.iter().map(|p| p.iter().map(dv).collect()).collect()
    }
    /// Does the whole segment lie in it (to the rounding of the grid: along a border counts as in it)?
    pub fn contains_segment(&self, a: DVec2, b: DVec2) -> bool {
        if !self.contains(a) || !self.contains(b) {
            return false;
        }
        let (p, q) = (pt(a), pt(b));
        let side = |a: &Point64, b: &Point64, c: &Point64| {
            let cross = (b.x - a.x) as i128 * (c.y - a.y) as i128 - (b.y - a.y) as i128 * (c.x - a.x) as i128;
            cross.signum()
        };
        // Where it meets the border, touching included; between two such places it is inside or outside as a whole.
        let d = b - a;
        let along = |c: &Point64| (dv(c) - a).dot(d) / d.length_squared();
        let mut meets = vec![0.0, 1.0];
        for l in &self.paths {
            for i in 0..l.len() {
                let (c, e) = (&l[i], &l[(i + 1) % l.len()]);
                let (sc, se) = (side(&p, &q, c), side(&p, &q, e));
                // A corner that the segment passes within rounding: where the border turns away there, no crossing is told.
                if (dv(c) - a).perp_dot(d).abs() <= PASSING * d.length() {
                    meets.push(along(c));
                }
                if sc * se < 0 && side(c, e, &p) * side(c, e, &q) <= 0 {
                    let (u, v) = (dv(c), dv(e));
                    let w = v - u;
                    meets.push((u - a).perp_dot(w) / d.perp_dot(w));
                }
            }
        }
        meets.retain(|t| (0.0..=1.0).contains(t));
        meets.sort_by(f64::total_cmp);
        meets.windows(2).all(|w| w[1] - w[0] < 1e-9 || self.contains_or_touches(a + d * f64::midpoint(w[0], w[1])))
    }
    /// In it, or within the rounding of its border (3 nm).
    fn contains_or_touches(&self, p: DVec2) -> bool {
        self.contains(p) || self.nearest_on_border(p).is_some_and(|q| q.distance(p) < 3e-6)
    }
    /// Point of the border nearest to `p`.
    pub fn nearest_on_border(&self, p: DVec2) -> Option<DVec2> {
        let mut best: Option<(f64, DVec2)> = None;
        for l in &self.paths {
            for i in 0..l.len() {
                let (a, b) = (dv(&l[i]), dv(&l[(i + 1) % l.len()]));
                let d = b - a;
                let t =
                    if d.length_squared() > 0.0 { ((p - a).dot(d) / d.length_squared()).clamp(0.0, 1.0) } else { 0.0 };
                let q = a + d * t;
                let dist = q.distance_squared(p);
                if best.is_none_or(|(b, _)| dist < b) {
                    best = Some((dist, q));
                }
            }
        }
        best.map(|(_, q)| q)
    }
    /// Distance from `p` to the border, negative outside.
    pub fn signed_distance(&self, p: DVec2) -> f64 {
        let d = self.nearest_on_border(p).map_or(f64::INFINITY, |q| q.distance(p));
        if self.contains(p) { d } else { -d }
    }
    /// A point as far from the border as any (to `tol`), and that distance: the centre of the largest disc that fits.
    pub fn deepest(&self, tol: f64) -> Option<(DVec2, f64)> {
        let (lo, hi) = self.bounds()?;
        let size = (hi - lo).max_element().max(1e-6);
        let mut cell = (hi - lo).min_element().max(size / 64.0);
        let mut cells: Vec<(f64, DVec2, f64)> = Vec::new();
        let mut y = lo.y;
        while y < hi.y {
            let mut x = lo.x;
            while x < hi.x {
                let c = DVec2::new(x + cell / 2.0, y + cell / 2.0);
                cells.push((self.signed_distance(c), c, cell));
                x += cell;
            }
            y += cell;
        }
        let mut best = cells.iter().fold((f64::NEG_INFINITY, lo), |b, c| if c.0 > b.0 { (c.0, c.1) } else { b });
        while cell > tol && !cells.is_empty() {
            cell /= 2.0;
            let reach = cell * std::f64::consts::SQRT_2;
            let mut next = Vec::new();
            for (d, c, _) in cells {
                if d + 2.0 * reach <= best.0 + tol {
                    continue;
                }
                for (sx, sy) in [(-0.5, -0.5), (0.5, -0.5), (-0.5, 0.5), (0.5, 0.5)] {
                    let q = c + DVec2::new(sx, sy) * cell;
                    let dq = self.signed_distance(q);
                    if dq > best.0 {
                        best = (dq, q);
                    }
                    next.push((dq, q, cell));
                }
            }
            cells = next;
        }
        (best.0 > 0.0).then_some((best.1, best.0))
    }
}

fn loop_area(p: &Path64) -> f64 {
    let n = p.len();
    let mut twice: i128 = 0;
    for i in 0..n {
        let (a, b) = (&p[i], &p[(i + 1) % n]);
        twice += i128::from(a.x) * i128::from(b.y) - i128::from(b.x) * i128::from(a.y);
    }
    twice as f64 / 2.0 / (GRID * GRID)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A sliver that touches the border at its lowest or highest corner, wound like a hole, does not turn shrinking into growing: once it did, and a pocket's floor was lost.
    #[test]
    fn slivers_at_the_border_do_not_turn_an_offset_round() {
        let outer =
            vec![pt(DVec2::ZERO), pt(DVec2::new(40.0, 10.0)), pt(DVec2::new(30.0, 50.0)), pt(DVec2::new(-10.0, 40.0))];
        for at in [DVec2::ZERO, DVec2::new(30.0, 50.0)] {
            let to = (DVec2::new(15.0, 25.0) - at).normalize();
            let sliver = vec![pt(at), pt(at + to * 0.9 + to.perp() * 1e-4), pt(at + to)];
            for sliver in [sliver.clone(), sliver.into_iter().rev().collect()] {
                let r = Region { paths: vec![sliver, outer.clone()] };
                let (small, large) = (r.shrunk(0.5, 0.01).area(), r.grown(0.5, 0.01).area());
                // 1700 mm², its border 165 mm long.
                assert!((small - 1619.0).abs() < 3.0 && (large - 1783.0).abs() < 3.0, "{small} {large}");
            }
        }
    }

    fn square(s: f64) -> Region {
        Region::rect(DVec2::splat(-s / 2.0), DVec2::splat(s / 2.0))
    }

    /// Steiner's formula: area of a convex set grown by r is A + P r + π r². 40 × 30 grown by 5: 1978.5398 (closed form; shapely's
    /// inscribed arcs give 1978.5319).
    #[test]
    fn growth_follows_steiner() {
        let r = Region::rect(DVec2::ZERO, DVec2::new(40.0, 30.0)).grown(5.0, 0.0001);
        let exact = 1200.0 + 140.0 * 5.0 + std::f64::consts::PI * 25.0;
        assert!((r.area() - exact).abs() < 0.01, "{} {exact}", r.area());
    }

    #[test]
    fn a_band_holds_what_the_strip_cuts_out() {
        let r = square(20.0).minus(&Region::disc(DVec2::new(2.0, 1.0), 6.0, 0.001));
        for (low, high) in [(-50.0, 50.0), (-3.0, 2.5), (9.0, 30.0), (11.0, 12.0), (-12.0, -4.0)] {
            let strip = Region::rect(DVec2::new(-99.0, low), DVec2::new(99.0, high));
            let cut = strip.intersect(&r).area();
            assert!((r.area_between(low, high) - cut).abs() < 0.01, "{low} {high} {cut}");
        }
        let one = square(20.0);
        assert_eq!(
            (one.area_between(-5.0, 5.0), one.shifted(DVec2::new(3.0, 4.0)).area_between(-5.0, 5.0)),
            (200.0, 200.0)
        );
        assert_eq!(one.shifted(DVec2::new(3.0, 7.0)).area_between(-5.0, 5.0), 160.0);
    }

    #[test]
    fn components_own_their_holes() {
        let ring = square(20.0).minus(&square(10.0));
        let all = ring.union(&square(4.0));
        let parts = all.components();
        assert_eq!(parts.len(), 2);
        assert!((parts[0].area() - 300.0).abs() < 1e-6 && (parts[1].area() - 16.0).abs() < 1e-6);
        assert!(!ring.contains(DVec2::ZERO) && ring.contains(DVec2::new(7.0, 0.0)));
    }

    #[test]
    fn the_deepest_point_of_a_rectangle_is_half_its_width_in() {
        let (_, d) = Region::rect(DVec2::ZERO, DVec2::new(30.0, 8.0)).deepest(0.01).unwrap();
        assert!((d - 4.0).abs() < 0.02, "{d}");
        assert!(Region::empty().deepest(0.01).is_none());
    }

    #[test]
    fn lines_are_clipped_inside_and_outside() {
        let s = square(10.0);
        let line = vec![vec![DVec2::new(-20.0, 1.0), DVec2::new(20.0, 1.0)]];
        let len = |v: Vec<Vec<DVec2>>| -> f64 { v.iter().map(|l| l[0].distance(l[l.len() - 1])).sum() };
        assert!((len(s.clip_lines(&line, true)) - 10.0).abs() < 1e-6);
        assert!((len(s.clip_lines(&line, false)) - 30.0).abs() < 1e-6);
        assert!(s.contains_segment(DVec2::splat(-4.0), DVec2::splat(4.0)));
        assert!(!s.contains_segment(DVec2::ZERO, DVec2::new(6.0, 0.0)));
        let ring = square(20.0).minus(&square(10.0));
        assert!(!ring.contains_segment(DVec2::new(-8.0, 0.0), DVec2::new(8.0, 0.0)));
    }

    /// From a plan that cut 0.6 mm into a part: the segment runs along the border of what is cleared, 3 nm beside it, and the border bulges
    /// out over it between two corners. One of the two crossings was lost to rounding.
    #[test]
    fn a_segment_along_a_border_that_bulges_is_not_inside() {
        let hole: Vec<DVec2> = [
            (150.0, 0.0),
            (156.549286, 1.603592),
            (156.739924, 1.087158),
            (156.855832, 0.549100),
            (156.899993, -0.074276),
            (156.899748, -23.704889),
            (157.105187, -24.693611),
            (157.187225, -25.139211),
            (157.318898, -25.926598),
            (157.385512, -26.374798),
            (157.489928, -27.166257),
            (157.541030, -27.616468),
            (157.620859, -28.446926),
            (157.681554, -29.278998),
            (157.723084, -30.112238),
            (157.745117, -30.910272),
            (157.749400, -31.363341),
            (157.742945, -32.197603),
            (157.717292, -33.031483),
            (157.672456, -33.864560),
            (157.608459, -34.696387),
            (157.499623, -35.745275),
            (157.370352, -36.732030),
            (157.301900, -37.179934),
            (157.168392, -37.966996),
            (157.084518, -38.412292),
            (156.899585, -39.300723),
            (156.899340, -62.999133),
            (156.847267, -63.606206),
            (156.723375, -64.142550),
            (156.525111, -64.656059),
            (150.0, -63.0),
        ]
        .into_iter()
        .map(|(x, y)| DVec2::new(x, y))
        .collect();
        let all = Region::rect(DVec2::new(100.0, -100.0), DVec2::new(200.0, 50.0));
        let free = all.minus(&Region::from_loops([hole.as_slice()]));
        let a = DVec2::new(156.899_342_836_782_72, -62.724_736_101_482_55);
        let b = DVec2::new(156.899_990_785_133_95, -0.287_903_110_390_634_4);
        for shift in -20..=20 {
            let by = DVec2::new(f64::from(shift) * 1e-6, 0.0);
            assert!(!free.contains_segment(a + by, b + by), "{shift} nm");
            assert!(!free.contains_segment(b + by, a + by), "{shift} nm, back");
        }
        assert!(free.contains_segment(a + DVec2::X, b + DVec2::X));
    }

    /// Slow oracle: membership of an opened region against "some disc of that radius inside covers the point", on a grid.
    #[test]
    fn opening_agrees_with_a_grid_of_discs() {
        let l = Region::from_loops([&[
            DVec2::new(0.0, 0.0),
            DVec2::new(20.0, 0.0),
            DVec2::new(20.0, 8.0),
            DVec2::new(9.0, 8.0),
            DVec2::new(9.0, 20.0),
            DVec2::new(0.0, 20.0),
        ][..]]);
        let opened = l.opened(3.0, 0.0005);
        let centres: Vec<DVec2> = (0..=100)
            .flat_map(|i| (0..=100).map(move |j| DVec2::new(f64::from(i) * 0.2, f64::from(j) * 0.2)))
            .filter(|&c| l.signed_distance(c) >= 3.0 - 1e-9)
            .collect();
        for i in 0..40 {
            for j in 0..40 {
                let p = DVec2::new(f64::from(i) * 0.5 + 0.25, f64::from(j) * 0.5 + 0.25);
                let near = centres.iter().map(|c| c.distance(p)).fold(f64::INFINITY, f64::min);
                if opened.contains(p) {
                    assert!(near < 3.2, "{p} {near}");
                } else {
                    assert!(near > 2.99, "{p} {near}");
                }
            }
        }
    }
}
#[cfg(test)]
mod segment_tests {
    use super::*;

    #[test]
    fn a_shortcut_across_a_hole_corner_is_seen() {
        let ring = Region::rect(DVec2::splat(-20.0), DVec2::splat(20.0))
            .minus(&Region::rect(DVec2::new(-2.7, -10.0), DVec2::new(10.0, 2.7)));
        assert!(!ring.contains_segment(DVec2::new(-2.701, -1.0749), DVec2::new(1.0877, 2.701)));
        assert!(
            !ring.contains_segment(DVec2::new(-2.7, -1.0749), DVec2::new(1.0877, 2.7)),
            "from border to border through the hole"
        );
        assert!(ring.contains_segment(DVec2::new(-2.7, -1.0749), DVec2::new(-2.7, 1.0)), "along the border");
        assert!(ring.contains_segment(DVec2::new(-2.7, 2.7), DVec2::new(-5.0, 9.0)));
    }
}

#[cfg(test)]
mod sliver_tests {
    use super::*;

    /// A boolean may leave a sliver of the wrong sense below everything else; shrinking must still shrink.
    #[test]
    fn a_sliver_below_does_not_turn_the_offset_round() {
        let mut r = Region::rect(DVec2::ZERO, DVec2::splat(10.0));
        r.paths.push(
            [(2.0, -1.0), (3.0, -1.0), (2.5, -0.999_999_5)]
                .map(|p| pt(DVec2::new(p.0, p.1)))
                .into_iter()
                .rev()
                .collect(),
        );
        assert!((r.shrunk(1.0, 0.001).area() - 64.0).abs() < 1e-3);
    }
}
