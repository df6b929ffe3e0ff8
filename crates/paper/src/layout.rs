//! Pages as PDF: what stands on a sheet, laid out from the top down, on as many leaves as it needs.

use crate::page::Page;
use crate::picture::{Picture, Tone};
use krilla::Document;
use krilla::color::rgb;
use krilla::geom::{PathBuilder, Point};
use krilla::num::NormalizedF32;
use krilla::page::PageSettings;
use krilla::paint::{Fill, Stroke, StrokeDash};
use krilla::surface::Surface;
use krilla::text::{Font, TextDirection};

/// Size of a leaf.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Format {
    /// 210 × 297 mm.
    #[default]
    A4,
    /// 8.5 × 11 in.
    Letter,
}

impl Format {
    /// By its name.
    pub fn of(name: &str) -> Option<Format> {
        match name.to_lowercase().as_str() {
            "a4" => Some(Format::A4),
            "letter" => Some(Format::Letter),
            _ => None,
        }
    }
    /// Width and height, points.
    fn points(self) -> (f32, f32) {
        match self {
            Format::A4 => (595.28, 841.89),
            Format::Letter => (612.0, 792.0),
        }
    }
}

const MARGIN: f32 = 34.0;
const SIZE: f32 = 9.0;
const LINE: f32 = 11.6;
const PICTURE: f32 = 176.0;

static REGULAR: &[u8] = include_bytes!("../fonts/PlexSansCondensed-Regular.ttf");
static BOLD: &[u8] = include_bytes!("../fonts/PlexSansCondensed-SemiBold.ttf");

/// A font with the widths of its signs.
struct Face {
    font: Font,
    widths: ttf_parser::Face<'static>,
}

impl Face {
    fn of(data: &'static [u8]) -> Result<Face, String> {
        let font = Font::new(data.to_vec().into(), 0).ok_or("a font of the sheet cannot be read")?;
        let widths = ttf_parser::Face::parse(data, 0).map_err(|e| e.to_string())?;
        Ok(Face { font, widths })
    }
    fn width(&self, text: &str, size: f32) -> f32 {
        let em = f32::from(self.widths.units_per_em());
        let of = |c: char| {
            self.widths.glyph_index(c).and_then(|g| self.widths.glyph_hor_advance(g)).map_or(0.5 * em, f32::from)
        };
        text.chars().map(of).sum::<f32>() * size / em
    }
    /// In lines no wider than `most`, broken between words; a word that is wider is broken itself.
    fn wrapped(&self, text: &str, size: f32, most: f32) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        for word in text.split_whitespace() {
            let mut word = word.to_string();
            if let Some(l) = out.last_mut()
                && self.width(&format!("{l} {word}"), size) <= most
            {
                l.push(' ');
                l.push_str(&word);
                continue;
            }
            while self.width(&word, size) > most && word.chars().count() > 1 {
                let fits = (1..word.chars().count())
                    .rev()
                    .find(|n| self.width(&word.chars().take(*n).collect::<String>(), size) <= most)
                    .unwrap_or(1);
                out.push(word.chars().take(fits).collect());
                word = word.chars().skip(fits).collect();
            }
            out.push(word);
        }
        out
    }
}

fn colour(r: u8, g: u8, b: u8) -> Fill {
    Fill { paint: rgb::Color::new(r, g, b).into(), ..Fill::default() }
}

fn pen(r: u8, g: u8, b: u8, width: f32, dashed: bool) -> Stroke {
    let dash = dashed.then(|| StrokeDash { array: vec![3.0, 2.0], offset: 0.0 });
    Stroke { paint: rgb::Color::new(r, g, b).into(), width, dash, ..Stroke::default() }
}

/// Something on a leaf.
enum Mark {
    Text { x: f32, y: f32, size: f32, bold: bool, red: bool, text: String },
    Rule { x: f32, y: f32, to: f32 },
    Picture { x: f32, y: f32, w: f32, h: f32, picture: Picture },
}

struct Flow<'a> {
    faces: [&'a Face; 2],
    size: (f32, f32),
    leaves: Vec<Vec<Mark>>,
    y: f32,
    title: String,
}

impl Flow<'_> {
    fn room(&self) -> f32 {
        self.size.0 - 2.0 * MARGIN
    }
    fn put(&mut self, m: Mark) {
        if let Some(l) = self.leaves.last_mut() {
            l.push(m);
        }
    }
    /// Where this much does not fit any more, a new leaf goes on.
    fn want(&mut self, height: f32) {
        if self.leaves.is_empty() || self.y + height > self.size.1 - MARGIN {
            let goes_on = !self.leaves.is_empty();
            self.leaves.push(Vec::new());
            self.y = MARGIN + LINE;
            if goes_on {
                let text = format!("{}, continued", self.title);
                self.text(MARGIN, &text, 11.0, true, false);
                self.y += 16.0;
            }
        }
    }
    fn text(&mut self, x: f32, text: &str, size: f32, bold: bool, red: bool) {
        let y = self.y;
        self.put(Mark::Text { x, y, size, bold, red, text: text.into() });
    }
    fn lines(&mut self, x: f32, text: &str, red: bool) {
        let most = self.size.0 - MARGIN - x;
        for l in self.faces[0].wrapped(text, SIZE, most) {
            self.want(LINE);
            self.text(x, &l, SIZE, false, red);
            self.y += LINE;
        }
    }
    fn heading(&mut self, text: &str) {
        // A heading is not left alone at the foot.
        self.want(3.0 * LINE);
        self.y += 5.0;
        let (y, to) = (self.y - LINE + 2.0, self.size.0 - MARGIN);
        self.put(Mark::Rule { x: MARGIN, y, to });
        self.text(MARGIN, text, 10.5, true, false);
        self.y += LINE + 1.5;
    }
    /// Lines with a sign or number before each.
    fn list(&mut self, heading: &str, items: &[String], mark: &dyn Fn(usize) -> String, red: bool) {
        if items.is_empty() {
            return;
        }
        self.heading(heading);
        for (k, i) in items.iter().enumerate() {
            self.want(LINE);
            self.text(MARGIN, &mark(k), SIZE, false, red);
            self.lines(MARGIN + 16.0, i, red);
        }
    }
    /// Rows; `at`: where columns begin, share of the width; the widest column is wrapped.
    fn row(&mut self, at: &[f32], cells: &[&str], bold: bool) {
        let room = self.room();
        let face = self.faces[usize::from(bold)];
        let wrapped: Vec<Vec<String>> = cells
            .iter()
            .enumerate()
            .map(|(k, c)| {
                let to = at.get(k + 1).copied().unwrap_or(1.0);
                face.wrapped(c, SIZE, (to - at[k]) * room - 4.0)
            })
            .collect();
        let high = wrapped.iter().map(Vec::len).max().unwrap_or(1);
        self.want(high as f32 * LINE);
        for n in 0..high {
            for (k, lines) in wrapped.iter().enumerate() {
                if let Some(l) = lines.get(n) {
                    self.text(MARGIN + at[k] * room, l, SIZE, bold, false);
                }
            }
            self.y += LINE;
        }
    }
    fn page(&mut self, p: &Page) {
        self.title.clone_from(&p.title);
        self.y = self.size.1;
        self.leaves.push(Vec::new());
        self.y = MARGIN + 12.0;
        self.text(MARGIN, &p.title, 16.0, true, false);
        let words = if p.passed { p.verdict.clone() } else { format!("DO NOT CUT: {}", p.verdict) };
        let right = self.size.0 - MARGIN - self.faces[1].width(&words, 11.0);
        self.text(right, &words, 11.0, true, !p.passed);
        self.y += 16.0;
        for l in &p.about {
            self.lines(MARGIN, l, false);
        }
        self.y += 4.0;
        let half = (self.room() - 12.0) / 2.0;
        for (k, picture) in p.pictures.iter().enumerate() {
            let x = MARGIN + k as f32 * (half + 12.0);
            let y = self.y;
            self.put(Mark::Picture { x, y, w: half, h: PICTURE, picture: picture.clone() });
        }
        self.y += PICTURE + LINE;
        let number = |k: usize| format!("{}", k + 1);
        let tick = |_: usize| "–".to_string();
        self.list("Look out", &p.warnings, &tick, true);
        self.list("Before the start", &p.load, &number, false);
        self.heading("Cutters");
        for t in &p.tools {
            let out = format!("stands out {} mm", t.stickout);
            self.row(&[0.0, 0.06, 0.72], &[&format!("T{}", t.number), &t.words, &out], false);
        }
        self.heading("Steps");
        for s in &p.steps {
            let [a, b] = s.numbered;
            let number = if a == b { a.to_string() } else { format!("{a}–{b}") };
            self.row(&[0.0, 0.055, 0.115, 0.72], &[&number, &format!("T{}", s.tool), &s.title, &s.numbers], false);
        }
        for (k, stop) in p.at_stops.iter().enumerate() {
            self.list(&format!("At stop {} (M0)", k + 1), stop, &number, false);
        }
        self.list("Before it is unclamped", &p.tried, &tick, false);
        self.list("By hand afterwards", &p.by_hand, &tick, false);
        self.y += 8.0;
        self.want(2.0 * LINE);
        self.lines(
            MARGIN,
            "Follow your machine's manual, your shop's rules and local regulations; a qualified person decides.",
            false,
        );
    }
}

fn draw_picture(s: &mut Surface<'_>, faces: [&Face; 2], at: [f32; 4], p: &Picture) {
    let [x, y, w, h] = at;
    let points = p.shapes.iter().flat_map(|s| s.loops.iter().flatten());
    let (mut low, mut high) = ([0.0_f64; 2], [0.0_f64; 2]);
    for q in points {
        for (k, v) in [q.x, q.y].into_iter().enumerate() {
            low[k] = if v < low[k] { v } else { low[k] };
            high[k] = if v > high[k] { v } else { high[k] };
        }
    }
    let size = [high[0] - low[0], high[1] - low[1]].map(|v| if v > 1.0 { v } else { 1.0 });
    // Room for its name and for an axis that stands at its upper edge.
    let head = 30.0;
    let fit = [f64::from(w) / size[0], f64::from(h - head) / size[1]];
    let scale = 0.94 * if fit[0] < fit[1] { fit[0] } else { fit[1] };
    let left = f64::from(x) + (f64::from(w) - scale * size[0]) / 2.0;
    let top = f64::from(y + head) + (f64::from(h - head) - scale * size[1]) / 2.0;
    let place = |px: f64, py: f64| ((left + (px - low[0]) * scale) as f32, (top + (high[1] - py) * scale) as f32);
    text(s, faces[1], x, y + 8.0, SIZE, false, &p.title);
    for shape in &p.shapes {
        let mut path = PathBuilder::new();
        for l in &shape.loops {
            for (k, q) in l.iter().enumerate() {
                let (a, b) = place(q.x, q.y);
                if k == 0 { path.move_to(a, b) } else { path.line_to(a, b) }
            }
            path.close();
        }
        let Some(path) = path.finish() else { continue };
        let (fill, stroke) = match shape.tone {
            Tone::Hold => (Some(colour(222, 220, 212)), pen(110, 108, 100, 0.6, false)),
            Tone::Front => (None, pen(110, 108, 100, 0.6, true)),
            Tone::Stock => (None, pen(60, 60, 60, 0.6, true)),
            Tone::Part => (
                Some(Fill { opacity: NormalizedF32::new(0.85).unwrap_or(NormalizedF32::ONE), ..colour(236, 205, 130) }),
                pen(20, 20, 20, 0.9, false),
            ),
        };
        s.set_fill(fill);
        s.set_stroke(Some(stroke));
        s.draw_path(&path);
    }
    // Work zero with its axes.
    let (a, b) = place(0.0, 0.0);
    for (k, (dx, dy)) in [(24.0, 0.0), (0.0, -24.0)].into_iter().enumerate() {
        let mut path = PathBuilder::new();
        path.move_to(a, b);
        path.line_to(a + dx, b + dy);
        if let Some(path) = path.finish() {
            s.set_fill(None);
            s.set_stroke(Some(pen(25, 60, 150, 1.2, false)));
            s.draw_path(&path);
        }
        text(s, faces[1], a + dx + 2.0, b + dy + if k == 0 { 3.0 } else { 0.0 }, 8.0, false, p.axes[k]);
    }
}

fn text(s: &mut Surface<'_>, face: &Face, x: f32, y: f32, size: f32, red: bool, text: &str) {
    s.set_stroke(None);
    s.set_fill(Some(if red { colour(170, 20, 20) } else { colour(20, 22, 28) }));
    s.draw_text(Point::from_xy(x, y), face.font.clone(), size, text, false, TextDirection::Auto);
}

/// Pages as a PDF file.
///
/// # Errors
/// In words, where the file cannot be made.
pub fn pdf(pages: &[Page], format: Format) -> Result<Vec<u8>, String> {
    let (regular, bold) = (Face::of(REGULAR)?, Face::of(BOLD)?);
    let mut flow =
        Flow { faces: [&regular, &bold], size: format.points(), leaves: Vec::new(), y: 0.0, title: String::new() };
    for p in pages {
        flow.page(p);
    }
    let mut doc = Document::new();
    let n = flow.leaves.len();
    for (k, leaf) in flow.leaves.iter().enumerate() {
        let settings = PageSettings::from_wh(flow.size.0, flow.size.1).ok_or("a page without a size")?;
        let mut page = doc.start_page_with(settings);
        let mut s = page.surface();
        for m in leaf {
            match m {
                Mark::Text { x, y, size, bold, red, text: t } => {
                    text(&mut s, flow.faces[usize::from(*bold)], *x, *y, *size, *red, t)
                }
                Mark::Rule { x, y, to } => {
                    let mut path = PathBuilder::new();
                    path.move_to(*x, *y);
                    path.line_to(*to, *y);
                    if let Some(path) = path.finish() {
                        s.set_fill(None);
                        s.set_stroke(Some(pen(150, 148, 140, 0.5, false)));
                        s.draw_path(&path);
                    }
                }
                Mark::Picture { x, y, w, h, picture } => draw_picture(&mut s, flow.faces, [*x, *y, *w, *h], picture),
            }
        }
        let foot = format!("{} of {n}", k + 1);
        let at = flow.size.0 - MARGIN - regular.width(&foot, 8.0);
        text(&mut s, &regular, at, flow.size.1 - 16.0, 8.0, false, &foot);
        s.finish();
        page.finish();
    }
    doc.finish().map_err(|e| format!("the sheet cannot be written: {e:?}"))
}
