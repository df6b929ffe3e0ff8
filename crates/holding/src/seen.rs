//! What is asked of a hold that is made to a part, and the part in its setup as such a hold meets it: from above, from below, and its flats.

use crate::frame::Duty;
use crate::nest::FINE;
use geom::{DVec2, DVec3, Placement, Region, Slabs};
use part::{OFF_FLOOR, Part, View};
use reason::Sure;
use shop::Shop;
use shop::machine::Material;

/// What is asked of a hold.
pub(crate) struct Asked<'a> {
    pub part: &'a Part,
    pub part_from_work: Placement,
    pub shop: &'a Shop,
    pub material: &'a Material,
    /// Name of the setup.
    pub setup: &'a str,
    /// Above the part when it is clamped, mm: the hat.
    pub over: f64,
    /// Places that are cut here, part coordinates: the jaws end below them.
    pub cuts: &'a [DVec3],
    /// Nothing else is cut.
    pub only: bool,
    /// Stock lies over the part and hides what is seen from above.
    pub covered: bool,
    /// The stock in process, work coordinates, where it is known: what it has more than the part gets room.
    pub stock: Option<&'a Slabs>,
}

/// Seen from above, what lies below; from below, what lies above.
pub(crate) fn mirrored(r: &Region) -> Region {
    let turn = |l: Vec<DVec2>| l.into_iter().rev().map(|p| DVec2::new(p.x, -p.y)).collect::<Vec<_>>();
    Region::from_oriented(&r.loops().into_iter().map(turn).collect::<Vec<_>>())
}

/// A part in its setup, seen from both ends.
pub(crate) struct Seen<'a> {
    pub view: View<'a>,
    pub under: View<'a>,
}

impl Seen<'_> {
    pub fn of<'a>(part: &'a Part, part_from_work: &Placement) -> Seen<'a> {
        let work = part_from_work.inverse();
        let over = Placement::from_axes(DVec3::X, -DVec3::Z);
        Seen { view: View::new(part, work), under: View::new(part, over.inverse().after(&work)) }
    }
    /// What the part covers below a height.
    pub fn below(&self, z: f64) -> Region {
        mirrored(&self.under.shadow(-z))
    }
    /// Flats that look down at a height.
    pub fn flats(&self, z: f64) -> Region {
        let u = &self.under;
        mirrored(&u.shadow(-z - OFF_FLOOR).minus(&u.shadow(-z + OFF_FLOOR)).shrunk(0.02, FINE).grown(0.02, FINE))
    }
    /// Heights of flats that look down, from below up.
    pub fn seats(&self) -> Vec<f64> {
        self.under.floors().into_iter().map(|z| -z).collect()
    }
    /// Does what is cut from above only hang on how far the part is turned about the upright through its middle?
    pub fn turn_matters(&self) -> bool {
        /// Less is no feature, mm².
        const LEAST: f64 = 1.0;
        let b = self.view.bounds;
        let middle = b.middle().truncate();
        let outline = self.view.shadow(b.min.z - 1.0);
        let through = outline.filled().minus(&outline);
        (1..10).map(|k| b.min.z + b.size().z * f64::from(k) / 10.0).any(|z| {
            // Open from above, and not from below as well; what is open right through is there already, however it lies.
            let mine = self.below(z).intersect(&outline.minus(&self.view.shadow(z)));
            let there = through.intersect(&mine.filled());
            let mine = Region::union_all(&[mine, there]);
            [0.7, 1.9].into_iter().any(|angle| {
                let turn = |p: DVec2| middle + DVec2::from_angle(angle).rotate(p - middle);
                let turned: Vec<Vec<DVec2>> =
                    mine.loops().into_iter().map(|l| l.into_iter().map(turn).collect()).collect();
                mine.minus(&Region::from_oriented(&turned)).area() > LEAST
            })
        })
    }
    /// The lowest that is cut from above and lies open to the outside: a jaw must end below it.
    pub fn lowest_open_cut(&self) -> f64 {
        let outline = self.view.shadow(self.view.bounds.min.z - 1.0);
        let mut low = self.view.bounds.max.z;
        for z in self.view.floors() {
            let floor = self.view.shadow(z - OFF_FLOOR).minus(&self.view.shadow(z + OFF_FLOOR));
            // What looks up at a height where nothing of the part lies outside it is a rim.
            let open = floor.grown(0.3, 0.01).minus(&outline).without_specks(0.02);
            if !open.is_empty() {
                low = low.at_most(z);
            }
        }
        for c in self.view.chamfers(4.0) {
            let rim = c.lines.iter().flatten().any(|p| outline.signed_distance(*p).abs() < c.high - c.low + 0.3);
            if rim {
                low = low.at_most(c.low - 1.0);
            }
        }
        low
    }
}

/// Points that lie furthest in eight directions.
pub(crate) fn corners_of(r: &Region, z: f64) -> Vec<DVec3> {
    let all: Vec<DVec2> = r.loops().into_iter().flatten().collect();
    let mut out: Vec<DVec3> = Vec::new();
    for k in 0..8 {
        let d = DVec2::from_angle(std::f64::consts::TAU * (f64::from(k) + 0.5) / 8.0);
        if let Some(p) = all.iter().max_by(|a, b| a.dot(d).total_cmp(&b.dot(d))) {
            let q = p.extend(z);
            if !out.contains(&q) {
                out.push(q);
            }
        }
    }
    out
}

/// Places that a setup cuts beside the jaws, part coordinates, but for what is seen from above.
pub(crate) fn below(duty: &Duty, part_from_work: &Placement) -> Vec<DVec3> {
    match duty {
        Duty::Only(o) => o.places.clone(),
        Duty::Half { down_to, .. } => vec![part_from_work.point(DVec3::Z * *down_to)],
        Duty::All | Duty::AllButHat | Duty::Seen | Duty::Inside { .. } | Duty::Outline | Duty::InsideThenOutline => {
            Vec::new()
        }
    }
}
