//! DXF: closed outlines of lines and arcs become a plate. A drawing says neither how thick the plate is nor how deep a layer goes, and its
//! header's unit is often what the program happened to be set to: these are proposals with reasons until a person answers.
//!
//! Lines, arcs, circles, polylines with bulges (bulge = tan of a quarter of the swept angle), ellipses and splines (both fitted by arcs
//! within 0.001 mm) and inserted blocks are read; all else is counted and left out. Ends within [`JOIN`] mm are joined.

use crate::Reading;
use dxf::entities::{Entity, EntityType, Insert, Spline};
use dxf::enums::Units;
use geom::{DVec2, FitSettings, Path2, Region, Seg, fit_arcs};
use kernel::shape::{ModelError, Piece, Shape};
use kernel::{Meshing, RawModel};
use reason::len;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::f64::consts::TAU;
use ts_rs::TS;

/// Ends of pieces this close are one point, mm.
const JOIN: f64 = 0.02;
/// Thickness that is proposed where nothing hints at one, mm.
const THICKNESS: f64 = 10.0;
/// Most pieces of outlines.
const MOST_PIECES: usize = 100_000;
/// Blocks in blocks.
const MOST_DEPTH: usize = 8;

/// What a layer's outlines mean.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
// Tagged from outside: the compact form in which a model crosses processes cannot read other tags.
#[serde(rename_all = "snake_case")]
pub enum LayerUse {
    /// The plate's outer border, and what is cut out of it.
    Through,
    /// Cleared to a depth below the plate's top, mm.
    Pocket {
        /// mm.
        depth: f64,
    },
    /// Not part of the geometry.
    Ignore,
}

/// What a person said of a drawing.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct DrawingAnswers {
    /// Of the plate, mm.
    pub thickness: Option<f64>,
    /// By name of the layer.
    pub layers: BTreeMap<String, LayerUse>,
}

/// A layer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Layer {
    /// Name in the file.
    pub name: String,
    /// Closed outlines.
    pub closed: u32,
    /// Chains that do not close.
    pub open: u32,
    /// What its outlines are taken for.
    pub used: LayerUse,
    /// Why so, if nobody said it.
    pub why: String,
}

/// A drawing as read.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Drawing {
    /// Layers in order of name.
    pub layers: Vec<Layer>,
    /// Of the plate, mm.
    pub thickness: f64,
    /// Why so, if nobody said it.
    pub thickness_why: String,
    /// The factor that was used for all lengths.
    pub scale: f64,
    /// What the header says.
    pub unit: String,
}

/// A piece of an outline for those who write one.
pub type Segment = Seg;

struct Chain {
    layer: String,
    path: Path2,
}

fn bad(what: &str) -> String {
    format!("the DXF file cannot be read: {what}; export the outline again, or give a STEP file")
}

/// Read a drawing and make its plate.
pub fn read(bytes: &[u8], reading: &Reading, meshing: &Meshing) -> Result<(RawModel, Drawing), String> {
    let (solids, drawing, remarks) = solids(bytes, reading)?;
    let mut out: Option<RawModel> = None;
    for s in &solids {
        let raw = s.read(meshing).map_err(|e| bad(&format!("its outline makes no solid ({e})")))?;
        out = Some(match out {
            None => raw,
            Some(first) => first.beside(raw),
        });
    }
    let raw = out.ok_or_else(|| bad("no outline lies outside the others"))?;
    let raw = RawModel { format: "DXF outline".into(), length_units: vec![drawing.unit.clone()], remarks, ..raw };
    Ok((raw, drawing))
}

/// The plates of a drawing, held by the kernel; the drawing; what to know about it.
pub(crate) fn solids(bytes: &[u8], reading: &Reading) -> Result<(Vec<Shape>, Drawing, Vec<String>), String> {
    let file = dxf::Drawing::load(&mut std::io::Cursor::new(bytes)).map_err(|e| bad(&e.to_string()))?;
    let mut gathered = Gathered::default();
    let mut texts = String::new();
    for e in file.entities() {
        match &e.specific {
            EntityType::Text(t) => texts.push_str(&format!(" {} ", t.value)),
            EntityType::MText(t) => texts.push_str(&format!(" {} ", t.text)),
            _ => {}
        }
        gathered.take(&file, e, &Place2::default(), 0)?;
    }
    if gathered.chains.is_empty() {
        return Err("the DXF file holds no outline (line, arc, circle or polyline); export the part's contour".into());
    }
    let (unit, scale) = unit(&file, &gathered, reading);
    let mut remarks = gathered.remarks();
    let mut chains = gathered.chains;
    for c in &mut chains {
        scaled(&mut c.path, scale);
    }
    let (closed, open, gap) = joined(chains);
    if gap > 1e-4 {
        remarks.push(format!("Gaps of up to {gap:.3} mm between pieces of outlines were closed", gap = len(gap)));
    }
    if closed.is_empty() {
        return Err(format!(
            "no outline in the DXF file is closed ({} chains end in the air); close the contour where it was drawn and export it again",
            open.len()
        ));
    }
    let hints =
        format!("{texts} {}", closed.iter().chain(&open).map(|c| c.layer.as_str()).collect::<Vec<_>>().join(" "));
    let hinted = hint(&hints, &["t=", "t =", "thk", "thickness", "thick", "plate"]);
    let thickness = reading.drawing.thickness.or(hinted).unwrap_or(THICKNESS);
    let thickness_why = match (reading.drawing.thickness, hinted) {
        (Some(_), _) => String::new(),
        (None, Some(_)) => "a text or layer of the drawing names it".into(),
        (None, None) => "the drawing does not say; this is a guess".into(),
    };
    if !(0.01..=1000.0).contains(&thickness) {
        return Err("a plate is between 0.01 and 1000 mm thick; give its thickness".into());
    }
    let layers = layers(&closed, &open, &reading.drawing, thickness);
    let use_of = |name: &str| layers.iter().find(|l| l.name == name).map_or(LayerUse::Ignore, |l| l.used);
    let solids = plate(&closed, &use_of, thickness, &mut remarks)?;
    Ok((solids, Drawing { layers, thickness, thickness_why, scale, unit }, remarks))
}

/// A turn, mirror, scale and shift in the plane.
#[derive(Clone, Copy)]
struct Place2 {
    x: DVec2,
    y: DVec2,
    at: DVec2,
}

impl Default for Place2 {
    fn default() -> Self {
        Place2 { x: DVec2::X, y: DVec2::Y, at: DVec2::ZERO }
    }
}

impl Place2 {
    fn point(&self, p: DVec2) -> DVec2 {
        self.x * p.x + self.y * p.y + self.at
    }
    fn after(&self, first: &Place2) -> Place2 {
        let v = |p: DVec2| self.x * p.x + self.y * p.y;
        Place2 { x: v(first.x), y: v(first.y), at: self.point(first.at) }
    }
    /// Circles stay circles.
    fn even(&self) -> bool {
        let (a, b) = (self.x.length(), self.y.length());
        (a - b).abs() < 1e-9 * a.max(b) && self.x.dot(self.y).abs() < 1e-9 * a * b
    }
    fn path(&self, p: &Path2) -> Path2 {
        let flip = self.x.perp_dot(self.y) < 0.0;
        let p = if self.even() { p.clone() } else { Path2::polyline(&p.flatten(1e-4)) };
        Path2 {
            start: self.point(p.start),
            segs: p
                .segs
                .iter()
                .map(|s| match *s {
                    Seg::Line { to } => Seg::Line { to: self.point(to) },
                    Seg::Arc { to, center, ccw } => {
                        Seg::Arc { to: self.point(to), center: self.point(center), ccw: ccw != flip }
                    }
                })
                .collect(),
        }
    }
}

#[derive(Default)]
struct Gathered {
    chains: Vec<Chain>,
    pieces: usize,
    fitted: usize,
    left: BTreeMap<&'static str, usize>,
}

impl Gathered {
    fn remarks(&self) -> Vec<String> {
        let mut out = Vec::new();
        if self.fitted > 0 {
            out.push(format!("{} ellipses or splines were fitted by arcs within 0.001 mm", self.fitted));
        }
        for (what, n) in &self.left {
            out.push(format!("{n} {what} were left out"));
        }
        out
    }

    fn push(&mut self, layer: &str, place: &Place2, path: &Path2) -> Result<(), String> {
        self.pieces += path.segs.len();
        if self.pieces > MOST_PIECES {
            return Err(bad(&format!("it has more than {MOST_PIECES} pieces")));
        }
        let path = place.path(path);
        let finite = path.start.is_finite()
            && path
                .segs
                .iter()
                .all(|s| s.to().is_finite() && !matches!(s, Seg::Arc { center, .. } if !center.is_finite()));
        let far = |p: DVec2| p.abs().max_element() > 1e7;
        if !finite || far(path.start) || path.segs.iter().any(|s| far(s.to())) {
            return Err(bad("a point lies nowhere"));
        }
        if path.length() > 1e-9 {
            self.chains.push(Chain { layer: layer.into(), path });
        }
        Ok(())
    }

    fn take(&mut self, file: &dxf::Drawing, e: &Entity, place: &Place2, depth: usize) -> Result<(), String> {
        let layer = e.common.layer.as_str();
        let v = |p: &dxf::Point| DVec2::new(p.x, p.y);
        // Seen from below, x runs the other way.
        let ocs = |normal: &dxf::Vector| {
            let side = if normal.z < 0.0 { -1.0 } else { 1.0 };
            place.after(&Place2 { x: DVec2::X * side, ..Default::default() })
        };
        match &e.specific {
            EntityType::Line(l) => self.push(layer, place, &Path2::polyline(&[v(&l.p1), v(&l.p2)])),
            EntityType::Circle(c) => {
                if c.radius <= 0.0 {
                    return Ok(());
                }
                self.push(layer, &ocs(&c.normal), &Path2::circle(v(&c.center), c.radius, true))
            }
            EntityType::Arc(a) => {
                if a.radius <= 0.0 {
                    return Ok(());
                }
                let at = |deg: f64| v(&a.center) + DVec2::from_angle(deg.to_radians()) * a.radius;
                let seg = Seg::Arc { to: at(a.end_angle), center: v(&a.center), ccw: true };
                self.push(layer, &ocs(&a.normal), &Path2 { start: at(a.start_angle), segs: vec![seg] })
            }
            EntityType::LwPolyline(p) => {
                let list: Vec<(DVec2, f64)> = p.vertices.iter().map(|w| (DVec2::new(w.x, w.y), w.bulge)).collect();
                self.polyline(layer, &ocs(&p.extrusion_direction), &list, p.is_closed())
            }
            EntityType::Polyline(p) => {
                let list: Vec<(DVec2, f64)> = p.vertices().map(|w| (v(&w.location), w.bulge)).collect();
                self.polyline(layer, &ocs(&p.normal), &list, p.is_closed())
            }
            EntityType::Ellipse(l) => {
                let major = DVec2::new(l.major_axis.x, l.major_axis.y);
                let minor = major.perp() * l.minor_axis_ratio * if l.normal.z < 0.0 { -1.0 } else { 1.0 };
                let mut span = l.end_parameter - l.start_parameter;
                if span <= 1e-9 {
                    span += TAU;
                }
                let n = (256.0 * span / TAU).ceil().max(8.0) as usize;
                let points: Vec<DVec2> = (0..=n)
                    .map(|k| l.start_parameter + span * k as f64 / n as f64)
                    .map(|t| v(&l.center) + major * t.cos() + minor * t.sin())
                    .collect();
                self.curve(layer, place, points)
            }
            EntityType::Spline(s) => match spline(s) {
                Some(points) => self.curve(layer, place, points),
                None => {
                    *self.left.entry("splines without control points").or_default() += 1;
                    Ok(())
                }
            },
            EntityType::Insert(i) => self.insert(file, i, place, depth),
            EntityType::Text(_) | EntityType::MText(_) => Ok(()),
            EntityType::RotatedDimension(_) | EntityType::RadialDimension(_) | EntityType::DiameterDimension(_) => {
                *self.left.entry("dimensions").or_default() += 1;
                Ok(())
            }
            _ => {
                *self.left.entry("other entities").or_default() += 1;
                Ok(())
            }
        }
    }

    fn curve(&mut self, layer: &str, place: &Place2, points: Vec<DVec2>) -> Result<(), String> {
        self.fitted += 1;
        let closed = points.len() > 2 && points[0].distance(points[points.len() - 1]) < 1e-9;
        let points = if closed { &points[..points.len() - 1] } else { &points[..] };
        self.push(layer, place, &fit_arcs(points, closed, &FitSettings::default()))
    }

    fn polyline(&mut self, layer: &str, place: &Place2, list: &[(DVec2, f64)], closed: bool) -> Result<(), String> {
        let Some(&(start, _)) = list.first() else { return Ok(()) };
        let mut path = Path2 { start, segs: Vec::new() };
        let n = list.len();
        for k in 0..if closed { n } else { n - 1 } {
            let ((a, bulge), (b, _)) = (list[k], list[(k + 1) % n]);
            if a.distance(b) < 1e-12 {
                continue;
            }
            path.segs.push(arc_of_bulge(a, b, bulge));
        }
        self.push(layer, place, &path)
    }

    fn insert(&mut self, file: &dxf::Drawing, i: &Insert, place: &Place2, depth: usize) -> Result<(), String> {
        if depth >= MOST_DEPTH {
            return Err(bad("its blocks contain one another"));
        }
        let Some(block) = file.blocks().find(|b| b.name == i.name) else { return Ok(()) };
        let turn = DVec2::from_angle(i.rotation.to_radians());
        let (columns, rows) = (i.column_count.clamp(1, 1000), i.row_count.clamp(1, 1000));
        for c in 0..columns {
            for r in 0..rows {
                let step = DVec2::new(f64::from(c) * i.column_spacing, f64::from(r) * i.row_spacing);
                let x = turn * i.x_scale_factor;
                let y = turn.perp() * i.y_scale_factor;
                let at = DVec2::new(i.location.x, i.location.y) + turn.rotate(step);
                let base = DVec2::new(block.base_point.x, block.base_point.y);
                let here = Place2 { x, y, at: at - (x * base.x + y * base.y) };
                self.pieces += 1;
                if self.pieces > MOST_PIECES {
                    return Err(bad(&format!("it has more than {MOST_PIECES} pieces")));
                }
                for e in &block.entities {
                    self.take(file, e, &place.after(&here), depth + 1)?;
                }
            }
        }
        Ok(())
    }
}

/// The arc between two points with this bulge (tan of a quarter of the swept angle, positive counter-clockwise).
fn arc_of_bulge(a: DVec2, b: DVec2, bulge: f64) -> Seg {
    if bulge.abs() < 1e-9 || !bulge.is_finite() {
        return Seg::Line { to: b };
    }
    // Distance of the centre from the chord's middle, to the left: (1 − bulge²) / (4 bulge) × chord.
    let center = (a + b) / 2.0 + (b - a).perp() * ((1.0 - bulge * bulge) / (4.0 * bulge));
    Seg::Arc { to: b, center, ccw: bulge > 0.0 }
}

/// Points along a (rational) B-spline by de Boor's algorithm.
fn spline(s: &Spline) -> Option<Vec<DVec2>> {
    let p = usize::try_from(s.degree_of_curve).ok().filter(|p| (1..=16).contains(p))?;
    let n = s.control_points.len();
    let k = &s.knot_values;
    if n < p + 1 || k.len() < n + p + 1 || n > 20_000 {
        return None;
    }
    let weight = |i: usize| s.weight_values.get(i).copied().filter(|w| *w > 0.0).unwrap_or(1.0);
    let (t0, t1) = (k[p], k[n]);
    if t1.is_nan() || t0.is_nan() || t1 <= t0 {
        return None;
    }
    let samples = (n * 24).min(20_000);
    let mut out = Vec::with_capacity(samples + 1);
    for j in 0..=samples {
        let t = t0 + (t1 - t0) * j as f64 / samples as f64;
        let span = (p..n).rfind(|&i| k[i] <= t && k[i] < k[i + 1]).unwrap_or(p);
        let mut d: Vec<geom::DVec3> = (0..=p)
            .map(|i| {
                let q = span - p + i;
                let (c, w) = (&s.control_points[q], weight(q));
                geom::DVec3::new(c.x * w, c.y * w, w)
            })
            .collect();
        for r in 1..=p {
            for i in (r..=p).rev() {
                let q = span - p + i;
                let den = k[q + p + 1 - r] - k[q];
                let a = if den > 0.0 { (t - k[q]) / den } else { 0.0 };
                d[i] = d[i - 1] * (1.0 - a) + d[i] * a;
            }
        }
        out.push(DVec2::new(d[p].x / d[p].z, d[p].y / d[p].z));
    }
    Some(out)
}

fn scaled(p: &mut Path2, f: f64) {
    p.start *= f;
    for s in &mut p.segs {
        match s {
            Seg::Line { to } => *to *= f,
            Seg::Arc { to, center, .. } => {
                *to *= f;
                *center *= f;
            }
        }
    }
}

/// The header's unit, and the factor that is used: a person's, or the header's if the size makes sense in it.
fn unit(file: &dxf::Drawing, g: &Gathered, reading: &Reading) -> (String, f64) {
    let (name, factor) = match file.header.default_drawing_units {
        Units::Inches => ("inch", 25.4),
        Units::Millimeters => ("mm", 1.0),
        Units::Centimeters => ("cm", 10.0),
        Units::Meters => ("m", 1000.0),
        Units::Unitless => ("no unit", 1.0),
        _ => ("an odd unit", 1.0),
    };
    let (lo, hi) = g
        .chains
        .iter()
        .flat_map(|c| c.path.flatten(0.5))
        .fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(lo, hi), p| (lo.min(p), hi.max(p)));
    let size = (hi - lo).max_element();
    let sane = |f: f64| (8.0..=1500.0).contains(&(size * f));
    let proposal = [factor, 1.0, 25.4, 10.0, 1000.0].into_iter().find(|f| sane(*f)).unwrap_or(factor);
    (name.into(), reading.unit.map_or(proposal, crate::LengthUnit::mm))
}

/// Chains closed to loops, those that stay open, and the largest gap that was closed.
fn joined(chains: Vec<Chain>) -> (Vec<Chain>, Vec<Chain>, f64) {
    let (mut closed, mut rest): (Vec<Chain>, Vec<Chain>) = (Vec::new(), Vec::new());
    let mut worst: f64 = 0.0;
    for c in chains {
        let gap = c.path.start.distance(c.path.end());
        let round = c.path.segs.len() > 1 || matches!(c.path.segs[..], [Seg::Arc { .. }]);
        if gap < 1e-9 && round {
            closed.push(c);
        } else {
            rest.push(c);
        }
    }
    // Chains of one layer only: what is drawn on different layers means different things.
    let mut open = Vec::new();
    while let Some(first) = rest.pop() {
        let Chain { layer, mut path } = first;
        loop {
            let gap = path.start.distance(path.end());
            let nearest = rest
                .iter()
                .enumerate()
                .filter(|(_, c)| c.layer == layer)
                .flat_map(|(k, c)| [(k, false, c.path.start), (k, true, c.path.end())])
                .map(|(k, back, p)| (p.distance(path.end()), k, back))
                .min_by(|a, b| a.0.total_cmp(&b.0));
            if gap <= JOIN && path.segs.len() > 1 && nearest.is_none_or(|n| gap <= n.0) {
                worst = worst.max(gap);
                let start = path.start;
                if gap > 0.0
                    && let Some(Seg::Line { to } | Seg::Arc { to, .. }) = path.segs.last_mut()
                {
                    *to = start;
                }
                closed.push(Chain { layer, path });
                break;
            }
            match nearest {
                Some((d, k, back)) if d <= JOIN => {
                    worst = worst.max(d);
                    let next = rest.swap_remove(k).path;
                    let next = if back { next.reversed() } else { next };
                    path.segs.extend(next.segs);
                }
                _ => {
                    open.push(Chain { layer, path });
                    break;
                }
            }
        }
    }
    (closed, open, worst)
}

/// A number after one of these words: "t=8", "plate 6".
fn hint(text: &str, words: &[&str]) -> Option<f64> {
    let text = text.to_lowercase().replace('_', " ");
    words.iter().find_map(|w| {
        text.match_indices(w).find_map(|(at, _)| {
            let tail = text[at + w.len()..].trim_start_matches([' ', '=', ':', '-']);
            let n: String = tail.chars().take_while(|c| c.is_ascii_digit() || *c == '.').collect();
            n.parse().ok().filter(|v| (0.1..=500.0).contains(v))
        })
    })
}

fn layers(closed: &[Chain], open: &[Chain], said: &DrawingAnswers, thickness: f64) -> Vec<Layer> {
    let mut names: Vec<&str> = closed.iter().chain(open).map(|c| c.layer.as_str()).collect();
    names.sort_unstable();
    names.dedup();
    let count = |list: &[Chain], n: &str| list.iter().filter(|c| c.layer == n).count() as u32;
    names
        .into_iter()
        .map(|n| {
            let closed_here = count(closed, n);
            let lower = n.to_lowercase();
            let depth = hint(n, &["depth", "deep", "pocket", "mill", "z", "d"]).filter(|d| *d < thickness);
            let (proposed, why) = if closed_here == 0 {
                (LayerUse::Ignore, "nothing on it is closed")
            } else if ["dim", "text", "note", "frame", "border", "title", "construction", "centre", "center", "hidden"]
                .iter()
                .any(|w| lower.contains(w))
            {
                (LayerUse::Ignore, "its name says that it is no contour")
            } else if let Some(depth) = depth {
                (LayerUse::Pocket { depth }, "its name holds a depth")
            } else {
                (LayerUse::Through, "nothing hints at a depth")
            };
            let mine = said.layers.get(n).copied();
            Layer {
                name: n.into(),
                closed: closed_here,
                open: count(open, n),
                used: mine.unwrap_or(proposed),
                why: if mine.is_some() { String::new() } else { why.into() },
            }
        })
        .collect()
}

fn outline(path: &Path2) -> Vec<Piece> {
    path.pieces()
        .map(|(from, s)| match s {
            Seg::Line { to } => Piece { to: to.to_array(), mid: None },
            Seg::Arc { to, center, ccw } => {
                let (u, v) = (from - center, to - center);
                let mut sweep = u.perp_dot(v).atan2(u.dot(v));
                if ccw && sweep <= 1e-12 {
                    sweep += TAU;
                } else if !ccw && sweep >= -1e-12 {
                    sweep -= TAU;
                }
                let mid = center + DVec2::from_angle(sweep / 2.0).rotate(u);
                Piece { to: to.to_array(), mid: Some(mid.to_array()) }
            }
        })
        .collect()
}

pub(crate) fn prism(path: &Path2, z0: f64, z1: f64) -> Result<Shape, ModelError> {
    // A full circle, drawn in however many arcs, is one cylinder.
    if let Some((c, r)) = circle_of(path) {
        return Shape::cylinder([c.x, c.y, z0], [0.0, 0.0, 1.0], r, z1 - z0);
    }
    Shape::prism(&outline(path), z0, z1)
}

fn circle_of(path: &Path2) -> Option<(DVec2, f64)> {
    let Some(Seg::Arc { center, .. }) = path.segs.first() else { return None };
    let r = path.start.distance(*center);
    let same = path.segs.iter().all(|s| {
        matches!(s, Seg::Arc { to, center: c, .. } if c.distance(*center) < 1e-6 * r && (to.distance(*center) - r).abs() < 1e-6 * r)
    });
    (same && (path.length() - TAU * r).abs() < 1e-4 * r).then_some((*center, r))
}

fn plate(
    closed: &[Chain],
    use_of: &impl Fn(&str) -> LayerUse,
    thickness: f64,
    remarks: &mut Vec<String>,
) -> Result<Vec<Shape>, String> {
    struct Loop<'a> {
        path: &'a Path2,
        region: Region,
        area: f64,
        used: LayerUse,
    }
    let mut loops: Vec<Loop> = closed
        .iter()
        .map(|c| {
            let region = Region::from_loops([c.path.flatten(0.002).as_slice()]);
            Loop { path: &c.path, area: region.area(), region, used: use_of(&c.layer) }
        })
        .filter(|l| l.used != LayerUse::Ignore && l.area > 1e-4)
        .collect();
    if loops.is_empty() {
        return Err("no layer of the drawing is taken as a contour; say which layer is the plate's outline".into());
    }
    loops.sort_by(|a, b| b.area.total_cmp(&a.area));
    let inside = |a: &Loop, b: &Loop| a.region.minus(&b.region).area() < 0.01 * a.area;
    // How many through loops lie around each: 0 is a plate, 1 a cut-out, 2 a loose piece inside a cut-out.
    let depth_of = |k: usize| {
        (0..loops.len())
            .filter(|&o| {
                o != k
                    && loops[o].used == LayerUse::Through
                    && loops[o].area > loops[k].area
                    && inside(&loops[k], &loops[o])
            })
            .count()
    };
    let depths: Vec<usize> = (0..loops.len()).map(depth_of).collect();
    let model = |e: ModelError| bad(&format!("its outline makes no solid ({e})"));
    let mut out: Vec<Shape> = Vec::new();
    for (k, l) in loops.iter().enumerate() {
        if l.used != LayerUse::Through || depths[k] % 2 == 1 {
            continue;
        }
        let mut solid = prism(l.path, 0.0, thickness).map_err(model)?;
        for (j, o) in loops.iter().enumerate() {
            let mine = j != k && inside(o, l) && depths[j] == depths[k] + 1;
            let over = j != k && matches!(o.used, LayerUse::Pocket { .. }) && !o.region.intersect(&l.region).is_empty();
            let bottom = match o.used {
                LayerUse::Through if mine => -1.0,
                LayerUse::Pocket { depth } if over && depth > 0.0 => (thickness - depth).max(-1.0),
                _ => continue,
            };
            solid = solid.cut(&prism(o.path, bottom, thickness + 1.0).map_err(model)?).map_err(model)?;
        }
        out.push(solid);
    }
    if depths.iter().any(|d| *d >= 2) {
        remarks.push("Outlines inside cut-outs are parts of their own: choose which one is to be made".into());
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_bulge_of_one_is_half_a_circle() {
        let Seg::Arc { center, ccw, .. } = arc_of_bulge(DVec2::ZERO, DVec2::new(2.0, 0.0), 1.0) else { panic!() };
        assert!(center.distance(DVec2::X) < 1e-12 && ccw);
        // tan(22.5°): a quarter, whose centre is as far from both ends as from the corner opposite.
        let b = (TAU / 16.0).tan();
        let Seg::Arc { center, .. } = arc_of_bulge(DVec2::X, DVec2::Y, b) else { panic!() };
        assert!(center.length() < 1e-12);
    }

    #[test]
    fn numbers_in_words_are_found() {
        assert_eq!(hint("Plate 8 mm, aluminium", &["plate"]), Some(8.0));
        assert_eq!(hint("POCKET_3.5", &["pocket"]), Some(3.5));
        assert_eq!(hint("outline", &["t="]), None);
    }
}
