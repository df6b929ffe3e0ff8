//! Ways to stand the part in the vise that are compared: which end up, which way round, and what the jaws find.

use crate::frame::{Duty, Order, Wish};
use crate::grip::{Contact, JawRays, hidden_volume, lowest_cut_near_jaws, narrow_volume, slanted_area};
use crate::hold::{Hold, HoldKind};
use crate::jaw_design::design;
use crate::scheme::{SchemeId, School};
use crate::seen::{Asked, below};
use crate::vise::{Bearing, bearing, clamping};
use geom::{Box3, DMat3, DVec3, Placement};
use part::{Part, View};
use rayon::prelude::*;
use reason::Sure;
use reason::len;
use shop::Shop;
use shop::machine::{Material, Vise};

/// Material over the top, mm (common practice ≥ 0.5 to clean, no source).
pub(crate) const TOP: f64 = 1.0;
/// The hat stands above the jaws by this, mm: room for the cut below the part's bottom.
pub(crate) const ABOVE_JAW: f64 = 2.0;
/// Least grip for light work, mm (common practice, no source).
pub(crate) const LEAST_GRIP: f64 = 3.0;
/// Height above the jaws ÷ grip at most (common practice, no source).
pub(crate) const TALL: f64 = 4.0;
/// What is left on a slanted face counts as if it were this thick, mm …
const ROUGH_DEPTH: f64 = 0.5;
/// … and this where a ball finishes it: a wall or a floor is still the better face.
const BALL_DEPTH: f64 = 0.02;
/// Directions between which slanted areas differ by no more than this are alike to a ball.
const ALIKE: f64 = 1.3;
/// Then the lower a part lies the shorter are its cutters: so many mm³ out of reach a mm of height is worth.
const LOW: f64 = 0.5;
/// Walls deeper than this want half from each side, mm (the crib's longest flutes).
const DEEP: f64 = 54.0;

#[derive(Clone)]
pub(crate) struct Way {
    pub up: DVec3,
    /// Part direction of work y (towards the fixed jaw) in the first setup.
    pub back: DVec3,
    pub hidden: f64,
    pub tall: f64,
    pub jaw_top: f64,
    pub contact: Contact,
    pub support: f64,
    /// Where parallels bear under the finished end.
    pub bearing: Option<Bearing>,
    /// A vise that leaves no mark on the contact gives this share of its force.
    pub clamp: f64,
    /// May flat jaws be used at all?
    pub flat_jaws: bool,
    /// Other ways for the second side, the simplest first, as far as they were looked at: the hold, or why not.
    pub others: Vec<(HoldKind, Result<Hold, String>)>,
    /// The only way that is wanted.
    pub only: Option<HoldKind>,
}

impl Way {
    /// Do flat jaws hold it?
    pub(crate) fn flat_holds(&self) -> bool {
        self.flat_jaws
            && self.jaw_top >= LEAST_GRIP
            && self.contact.length >= 6.0
            // A high grip keeps a narrow flat from turning.
            && (self.contact.span >= 10.0 || self.contact.span >= 6.0 && self.jaw_top >= 10.0)
            && self.support > 0.0
            && self.bearing.is_some()
    }
    /// What holds it: the one that is wanted, or the simplest that does.
    pub(crate) fn held_by(&self) -> Option<HoldKind> {
        let flat = self.flat_holds().then_some(HoldKind::Vise);
        let others = self.others.iter().filter(|(_, f)| f.is_ok()).map(|(k, _)| *k);
        flat.into_iter().chain(others).find(|k| self.only.is_none_or(|o| o == *k))
    }
    /// What was found of a way other than flat jaws.
    pub(crate) fn found(&self, kind: HoldKind) -> Option<&Result<Hold, String>> {
        self.others.iter().find(|(k, _)| *k == kind).map(|(_, f)| f)
    }
    /// Its name in a school.
    pub(crate) fn id(&self, school: School, hold: HoldKind) -> SchemeId {
        let axis = |d: DVec3| (0..3).find(|&k| d[k].abs() > 0.5).unwrap_or(2);
        let up = axis(self.up);
        SchemeId { school, hold, up: (up, self.up[up] > 0.0), along: 3 - up - axis(self.back) }
    }
    /// Is it the way that a name means?
    fn is(&self, id: &SchemeId) -> bool {
        self.id(id.school, id.hold) == *id
    }
    /// Why nothing holds it; why the one that is wanted does not.
    pub(crate) fn why_not(&self, up: DVec3) -> String {
        let flat = || self.why_no_flat_jaws(up);
        let refused = |k: HoldKind| match self.found(k) {
            Some(Err(why)) => Some(why.clone()),
            _ => None,
        };
        match self.only {
            Some(HoldKind::Vise) => flat(),
            Some(k) => refused(k).unwrap_or_else(|| "not wanted".into()),
            None if self.others.is_empty() => flat(),
            None => {
                let others = self.others.iter().filter_map(|(k, _)| Some(format!("{}: {}", k.words(), refused(*k)?)));
                std::iter::once(format!("flat jaws: {}", flat())).chain(others).collect::<Vec<_>>().join("; ")
            }
        }
    }
    pub(crate) fn why_no_flat_jaws(&self, up: DVec3) -> String {
        if !self.flat_jaws {
            return "not wanted".into();
        }
        if self.support <= 0.0 {
            return format!("its {} end has no flat face to stand on", axis_words(-up));
        }
        if self.bearing.is_none() {
            return format!("two parallels find nothing to bear on under its {} end", axis_words(-up));
        }
        format!(
            "there are no two parallel faces to grip (best: {:.0} mm high over {:.0} mm)",
            len(self.jaw_top),
            len(self.contact.length)
        )
    }
    /// Smaller is better, in this order.
    fn rank(&self) -> (f64, i32, f64) {
        let cost = cost(self.hidden, self.tall);
        let grip = self.jaw_top.at_most(12.0) * self.contact.length.at_most(60.0) * (0.3 + self.support.at_most(0.7));
        // A contact so small that the vise may not be closed holds less.
        let grip = grip * self.clamp;
        match self.held_by() {
            Some(HoldKind::Vise) => (cost, 0, -grip),
            Some(k) => {
                let worth = self.found(k).and_then(|f| f.as_ref().ok()).map_or(0.0, Hold::worth);
                (cost, 1 + k as i32, -worth)
            }
            None => (cost, i32::MAX, -grip),
        }
    }
    pub(crate) fn words(&self) -> String {
        format!(
            "{} up first, jaws along {}: {:.0} mm³ out of reach or left rough, side 2 grips {:.0} mm high over {:.0} mm, {:.0} % of the outline bears on the parallels{}{}",
            axis_words(self.up),
            axis_words(self.back.abs()).trim_start_matches('+'),
            self.hidden.abs(),
            len(self.jaw_top),
            len(self.contact.length),
            self.support * 100.0,
            if self.tall > 0.0 { ", too tall for the cutters" } else { "" },
            self.others
                .iter()
                .map(|(k, f)| match f {
                    Ok(h) => format!("; {}: {}", k.words(), h.in_short()),
                    Err(why) => format!("; {}: {why}", k.words()),
                })
                .collect::<String>()
        )
    }
}

fn axis_words(d: DVec3) -> String {
    let k = (0..3).find(|&k| d[k].abs() > 0.5).unwrap_or(2);
    format!("{}{}", if d[k] > 0.0 { '+' } else { '−' }, ['X', 'Y', 'Z'][k])
}

fn unit(k: usize, positive: bool) -> DVec3 {
    let mut d = DVec3::ZERO;
    d[k] = if positive { 1.0 } else { -1.0 };
    d
}

/// Work axes as columns in part coordinates: y towards `back`, z `up`.
pub(crate) fn turn(up: DVec3, back: DVec3) -> DMat3 {
    DMat3::from_cols(back.cross(up), back, up)
}

/// Grip heights that the parallels on hand give.
pub(crate) fn grips(vise: &Vise) -> Vec<f64> {
    let mut g: Vec<f64> = vise.parallels_mm.iter().map(|p| vise.jaw_height_mm - p).collect();
    g.sort_by(f64::total_cmp);
    g
}

/// Which way up, which way round: chosen before the stock, because the stock hangs on it.
pub struct Sides {
    pub(crate) ways: Vec<Way>,
    /// How the block is used up, as far as it is known before the block.
    pub(crate) school: School,
    /// A chosen way that cannot be, and why.
    pub(crate) lost: Option<(SchemeId, String)>,
}

impl Sides {
    /// Up on the first side, part coordinates.
    pub fn up(&self) -> DVec3 {
        self.ways[0].up
    }
    /// Direction of the fixed jaw on the first side, part coordinates.
    pub fn back(&self) -> DVec3 {
        self.ways[0].back
    }
    /// What is needed below the part on the first side: the grip and the cut over the jaws, mm.
    pub fn hat(&self, part: &Part, vise: &Vise) -> f64 {
        match self.school {
            School::Deck => {}
            School::Half | School::Inside => return TOP,
            School::Sheet | School::Table | School::Bar => return 0.0,
        }
        grip_of(part.bounds.size().dot(self.up().abs()), vise) + ABOVE_JAW
    }
}

/// Grip on raw stock for a part of this height, mm.
pub(crate) fn grip_of(height: f64, vise: &Vise) -> f64 {
    grips(vise).into_iter().find(|&g| g >= 6.0 && g * TALL >= height + TOP + ABOVE_JAW).unwrap_or(14.0)
}

/// How far ways other than flat jaws are looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Look {
    /// As far as flat jaws do not hold, or another is wanted.
    Needed,
    /// All.
    All,
}

/// The order of the sides, and the direction of the jaws.
pub fn sides(part: &Part, shop: &Shop, material: &Material, wish: &Wish) -> Sides {
    look(part, shop, material, wish, Look::Needed)
}

pub(crate) fn look(part: &Part, shop: &Shop, material: &Material, wish: &Wish, far: Look) -> Sides {
    let mut out = looked(part, shop, material, wish, far);
    // Other schools are looked at with what their sides cut, by whoever plans them.
    let can = |w: &Way, id: &SchemeId| w.is(id) && (id.school != School::Deck || w.held_by().is_some());
    if let Some(id) = &wish.scheme
        && !out.ways.first().is_some_and(|w| can(w, id))
    {
        // What was chosen cannot be: the proposal takes its place, and says so.
        let why = match out.ways.iter().find(|w| w.is(id)) {
            Some(w) => w.why_not(-w.up),
            None => "the part cannot be laid so".to_string(),
        };
        out = looked(part, shop, material, &Wish { scheme: None, ..*wish }, far);
        out.lost = Some((*id, why));
    }
    out
}

fn looked(part: &Part, shop: &Shop, material: &Material, wish: &Wish, far: Look) -> Sides {
    let vise = &shop.vise;
    let order = wish.scheme.map_or(wish.order, |s| s.order());
    let axes: Vec<usize> = match order {
        Order::Up { axis, .. } => vec![axis.min(2)],
        Order::Best => (0..3).collect(),
    };
    let costs: Vec<(usize, f64, [f64; 2])> = axes
        .par_iter()
        .map(|&axis| {
            let view = View::new(
                part,
                Placement { turn: turn(unit(axis, true), unit((axis + 1) % 3, true)).transpose(), shift: DVec3::ZERO },
            );
            let below = View::new(
                part,
                Placement { turn: turn(unit(axis, false), unit((axis + 1) % 3, true)).transpose(), shift: DVec3::ZERO },
            );
            // What cutters on a neck make from above or from below is not out of reach.
            let (made, faces): (Vec<_>, Vec<_>) =
                [&view, &below].map(|v| part::made(v, &shop.crib)).into_iter().unzip();
            let volume: f64 = made.iter().flatten().map(part::Undercut::volume).sum();
            let faces = faces.into_iter().flatten().collect();
            let hidden = (hidden_volume(&view) - volume).at_least(0.0) + narrow_volume(&view, &shop.crib);
            (axis, hidden, slanted_area(&view, &faces))
        })
        .collect();
    let balls = shop.has_balls();
    let fewest = costs.iter().map(|c| c.2[1]).fold(f64::INFINITY, Sure::at_most);
    // Flats that lean from every direction are a ball's, or a tilted setup's.
    let leans = balls && costs.iter().all(|c| c.2[0] > 1.0);
    let size = part.bounds.size();
    let slanted = |axis: usize, [flat, curved]: [f64; 2]| {
        let by_ball = |area: f64| if area > 1.0 { BALL_DEPTH * area + LOW * size[axis] } else { 0.0 };
        let alike = if curved <= ALIKE * fewest { fewest } else { curved };
        let curved = if balls { by_ball(alike) } else { ROUGH_DEPTH * curved };
        if leans { by_ball(flat + alike) } else { ROUGH_DEPTH * flat + curved }
    };
    let tall = |axis: usize| (size[axis] - DEEP).at_least(0.0) / 10.0;
    let costs: Vec<(usize, f64, f64)> =
        costs.into_iter().map(|(k, hidden, area)| (k, hidden + slanted(k, area), tall(k))).collect();
    // Grip is looked at only along the axis that leaves least out of reach (and its equals).
    let least = costs.iter().map(|c| cost(c.1, c.2)).fold(f64::INFINITY, Sure::at_most);
    let good: Vec<(usize, f64, f64, bool)> = costs
        .iter()
        .filter(|c| cost(c.1, c.2) <= least)
        .flat_map(|&(axis, hidden, tall)| [true, false].map(|positive| (axis, hidden, tall, positive)))
        .filter(|&(.., positive)| !matches!(order, Order::Up { positive: p, .. } if p != positive))
        .collect();
    let mut ways: Vec<Way> = good
        .par_iter()
        .flat_map_iter(|&(axis, hidden, tall, positive)| ways_up(part, axis, positive, hidden, tall, vise, material))
        .collect();
    let pinned = |w: &Way| wish.scheme.is_some_and(|id| w.is(&id));
    ways.iter_mut().for_each(|w| {
        w.flat_jaws = wish.kinds.allow(HoldKind::Vise);
        w.only = wish.scheme.filter(|id| w.is(id)).map(|id| id.hold);
    });
    // Others are looked at where flat jaws do not hold, each only where the simpler ones do not.
    for kind in beside_flat_jaws(wish) {
        let wanted = wish.scheme.is_some_and(|id| id.hold == kind);
        if far == Look::Needed && !wanted && ways.iter().any(|w| w.held_by().is_some()) {
            continue;
        }
        ways.par_iter_mut().filter(|w| far == Look::All || !wanted || pinned(w)).for_each(|w| {
            let frame = standing(-w.up, -w.back, &part.bounds);
            w.others.push((kind, other(kind, part, frame, shop, material, "side 2", &Duty::All)));
        });
    }
    ways.sort_by(|a, b| {
        let (x, y) = (a.rank(), b.rank());
        pinned(b).cmp(&pinned(a)).then(x.0.total_cmp(&y.0)).then(x.1.cmp(&y.1)).then(x.2.total_cmp(&y.2))
    });
    Sides { ways, school: wish.scheme.map_or(School::Deck, |id| id.school), lost: None }
}

/// What is out of reach counts in steps of 5 mm³, height beyond the cutters heavily.
fn cost(hidden: f64, tall: f64) -> f64 {
    (hidden / 5.0).round() + tall * 1000.0
}

/// A way other than flat jaws by the finished part, or why it does not hold.
pub(crate) fn other(
    kind: HoldKind,
    part: &Part,
    part_from_work: Placement,
    shop: &Shop,
    material: &Material,
    setup: &str,
    duty: &Duty,
) -> Result<Hold, String> {
    let cuts = below(duty, &part_from_work);
    let only = matches!(duty, Duty::Only(_));
    let covered = !only && *duty != Duty::Seen;
    let asked =
        Asked { part, part_from_work, shop, material, setup, over: 0.0, cuts: &cuts, only, covered, stock: None };
    match kind {
        HoldKind::Vise => Err("not wanted".into()),
        HoldKind::SoftJaws => design(&asked).map(|j| Hold::SoftJaws(Box::new(j))),
        HoldKind::Chuck => crate::chuck::design(&asked).map(|c| Hold::Chuck(Box::new(c))),
        // Only where it is left for the last, which is another school.
        HoldKind::Plate => {
            Err("its own holes lie under the stock then; a plate takes it for the outline, once both faces are done"
                .into())
        }
        HoldKind::Bond => crate::bond::design(&asked, false).map(|b| Hold::Bond(Box::new(b))),
        HoldKind::Straps if covered => {
            Err("its own holes lie under the stock then, and straps would stand on what is cut".into())
        }
        HoldKind::Collet => {
            Err("a collet block takes it as a bar, from the first side on: see the way from a bar".into())
        }
        HoldKind::Straps => crate::strapped::design(&asked, None).map(|s| Hold::Straps(Box::new(s))),
    }
}

/// Ways other than flat jaws by which a side may be held that is not left for the last.
fn beside_flat_jaws(wish: &Wish) -> impl Iterator<Item = HoldKind> {
    let ways = HoldKind::ALL.into_iter().filter(|k| !matches!(k, HoldKind::Vise | HoldKind::Plate));
    ways.filter(|k| wish.kinds.allow(*k))
}

/// The ways other than flat jaws that are looked at until one holds, the simplest first.
fn others(
    wish: &Wish,
    only: Option<HoldKind>,
    make: impl Fn(HoldKind) -> Result<Hold, String>,
) -> Vec<(HoldKind, Result<Hold, String>)> {
    let mut out = Vec::new();
    for kind in beside_flat_jaws(wish) {
        if only.is_some_and(|o| o != kind) {
            continue;
        }
        let found = make(kind);
        let held = found.is_ok();
        out.push((kind, found));
        if held {
            break;
        }
    }
    out
}

/// The work frame of a body standing on its lowest face: x 0 at its left end, y 0 at its back, z 0 below.
pub(crate) fn standing(up: DVec3, back: DVec3, body: &Box3) -> Placement {
    let turned = Placement { turn: turn(up, back), shift: DVec3::ZERO };
    let b = turned.inverse().bounds(body);
    let origin = DVec3::new(b.min.x, b.max.y, b.min.z);
    Placement { shift: turned.point(origin), ..turned }
}

fn frame(up: DVec3, back: DVec3) -> Placement {
    Placement { turn: turn(up, back).transpose(), shift: DVec3::ZERO }
}

/// The best grip on the finished walls below `limit` over the lower end, and its contact.
fn best_grip(view: &View, vise: &Vise, limit: f64) -> (f64, Contact) {
    let z0 = view.bounds.min.z;
    let sides = JawRays::of(view);
    // The most grip that still bears; a deep jaw on a thin flange is worth less than a shallow one on a wall.
    let mut best = (0.0, Contact { length: 0.0, span: 0.0 });
    for g in grips(vise) {
        if g > limit + 1e-9 {
            break;
        }
        let c = sides.contact(z0, z0 + g);
        let worth = |g: f64, c: Contact| if g < LEAST_GRIP { 0.0 } else { g.at_most(14.0) * c.length.at_most(60.0) };
        if worth(g, c) >= worth(best.0, best.1) {
            best = (g, c);
        }
    }
    best
}

/// Share of the outline that is flat at the upper end of a view: what it lies on when it is turned over.
fn flat_share(view: &View) -> f64 {
    let top = view.bounds.max.z;
    let rests = view.floors().first().is_some_and(|z| (z - top).abs() < 1e-3);
    let flat = if rests { view.shadow(top - part::OFF_FLOOR).area() } else { 0.0 };
    flat / view.shadow(view.bounds.min.z - 1.0).area().at_least(1e-9)
}

fn clamp_share((height, contact): (f64, Contact), vise: &Vise, material: &Material) -> f64 {
    clamping(height, contact.length.at_most(vise.jaw_width_mm), vise, material).force_kn / vise.clamp_kn
}

fn ways_up(
    part: &Part,
    axis: usize,
    positive: bool,
    hidden: f64,
    tall: f64,
    vise: &Vise,
    material: &Material,
) -> Vec<Way> {
    let up = unit(axis, positive);
    let mut out = Vec::new();
    let mut seen: Option<f64> = None;
    for k in [(axis + 1) % 3, (axis + 2) % 3] {
        let back = unit(k, true);
        let second = View::new(part, frame(-up, -back));
        // Second setup: turned over about the work's x.
        let first = View::new(part, frame(up, back));
        let second_from_first = second.from_part.after(&first.from_part.inverse());
        let z0 = second.bounds.min.z;
        let low = lowest_cut_near_jaws(&second, &first, &second_from_first) - z0;
        let best = best_grip(&second, vise, low - 1.0);
        let support = *seen.get_or_insert_with(|| flat_share(&first));
        out.push(Way {
            up,
            back,
            hidden,
            tall,
            jaw_top: best.0,
            contact: best.1,
            support,
            bearing: bearing(&second, z0, vise),
            clamp: clamp_share(best, vise, material),
            flat_jaws: true,
            others: Vec::new(),
            only: None,
        });
    }
    out
}

/// The same way for a second side of another duty: where it cuts the lower half of the outline too the jaws end below that, and where nothing lies over the
/// part others may hold it than under a hat.
pub(crate) fn for_duty(part: &Part, way: &Way, duty: &Duty, shop: &Shop, material: &Material, wish: &Wish) -> Way {
    let mut w = Way { others: Vec::new(), ..way.clone() };
    match duty {
        Duty::Half { down_to, .. } => {
            let (first, second) =
                (View::new(part, frame(way.up, way.back)), View::new(part, frame(-way.up, -way.back)));
            let over = second.from_part.after(&first.from_part.inverse());
            let low = lowest_cut_near_jaws(&second, &first, &over) - second.bounds.min.z;
            let best = best_grip(&second, &shop.vise, low.at_most(*down_to) - 1.0);
            w.clamp = clamp_share(best, &shop.vise, material);
            (w.jaw_top, w.contact) = best;
        }
        Duty::Seen => {}
        Duty::All | Duty::AllButHat | Duty::Inside { .. } | Duty::Outline | Duty::InsideThenOutline | Duty::Only(_) => {
            return way.clone();
        }
    }
    if w.held_by().is_none() {
        let frame = standing(-w.up, -w.back, &part.bounds);
        w.others = others(wish, w.only, |k| other(k, part, frame, shop, material, "side 2", duty));
    }
    w
}

/// The best way to hold the finished part with this end up.
pub(crate) fn way_of_further(
    part: &Part,
    up: DVec3,
    shop: &Shop,
    material: &Material,
    wish: &Wish,
    setup: &str,
    duty: &Duty,
) -> Way {
    let vise = &shop.vise;
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let below = flat_share(&View::new(part, frame(-up, unit((axis + 1) % 3, true))));
    let mut ways = [(axis + 1) % 3, (axis + 2) % 3].map(|k| {
        let back = unit(k, true);
        let view = View::new(part, frame(up, back));
        let height = view.bounds.size().z;
        let best = best_grip(&view, vise, 0.7 * height);
        Way {
            up,
            back,
            hidden: 0.0,
            tall: 0.0,
            jaw_top: best.0,
            contact: best.1,
            support: below,
            bearing: bearing(&view, view.bounds.min.z, vise),
            clamp: clamp_share(best, vise, material),
            flat_jaws: wish.kinds.allow(HoldKind::Vise),
            others: Vec::new(),
            only: None,
        }
    });
    if !ways.iter().any(Way::flat_holds) {
        ways.par_iter_mut().for_each(|w| {
            let frame = standing(w.up, w.back, &part.bounds);
            w.others = others(wish, None, |k| other(k, part, frame, shop, material, setup, duty));
        });
    }
    let [a, b] = ways;
    let better = |a: &Way, b: &Way| {
        let (x, y) = (a.rank(), b.rank());
        x.1.cmp(&y.1).then(x.2.total_cmp(&y.2))
    };
    if better(&a, &b).is_le() { a } else { b }
}
