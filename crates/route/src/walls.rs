//! Finishing walls: whole, or all that a larger cutter reaches first and then the corners.

use crate::op::OpKind;
use crate::pockets::{CLEAR_OF, COARSE, Cut, FINE, Job};
use crate::setup::{WALL_SKIN, Work};
use crate::tools::rest;
use cutting::mill;
use geom::{DVec2, Region};
use path::Feeds;
use path::profile::{Walls, finish_walls};
use reason::{Sure, Term, len};
use shop::tool::Tool;
use std::f64::consts::FRAC_PI_2;

/// Beyond a corner its finish runs on along the finished wall, mm (common practice, no source).
const CORNER_OVERLAP: f64 = 1.0;

/// Which finish of a job's walls.
#[derive(Clone, Copy, PartialEq)]
pub(crate) enum Round<'a> {
    /// By a larger cutter, all that it reaches.
    First(&'a Tool),
    /// All, or the corners that are left.
    Last,
}

impl<'a> Round<'a> {
    pub(crate) fn tool(&self, j: &'a Job) -> &'a Tool {
        match self {
            Round::First(t) => t,
            Round::Last => &j.finish,
        }
    }
}

impl Work<'_, '_> {
    /// Numbers of a wall's finish.
    fn wall_data(&self, id: &str, tool: &Tool, height: f64) -> cutting::MillData {
        let task = self.finishing(id, height.at_most(2.0 * tool.diameter_mm), WALL_SKIN);
        mill(&task, tool, self.side.material, &self.side.shop.machine)
    }

    /// A slim cutter that corners ask for bends in a high wall, and takes it in many levels. Is it quicker that a larger one, which roughs here
    /// anyhow, finishes all that it reaches first? Minutes of both ways by the levels that bending allows.
    pub(crate) fn first_round_walls(
        &self,
        near: &Region,
        shadow: &Region,
        height: f64,
        rough: &[Tool],
        finish: &Tool,
    ) -> Option<(Tool, Region)> {
        /// Less is not worth a witness line at the corners, min.
        const WORTH: f64 = 0.3;
        let len =
            |lines: &[Vec<DVec2>]| lines.iter().flat_map(|l| l.windows(2)).map(|p| p[0].distance(p[1])).sum::<f64>();
        let minutes = |t: &Tool, way: f64| {
            let data = self.wall_data("", t, height);
            (height / data.ap.value.at_least(0.1)).ceil().at_least(1.0) * way / data.feed.value.at_least(1.0)
        };
        let closed = |mut l: Vec<DVec2>| {
            l.push(l[0]);
            l
        };
        let border: Vec<Vec<DVec2>> = near.loops().into_iter().map(closed).collect();
        let wall = len(&shadow.grown(0.02, COARSE).clip_lines(&border, true));
        let alone = minutes(finish, wall);
        let larger = rough.iter().filter(|t| t.diameter_mm > finish.diameter_mm + 0.01);
        let ways = larger.filter_map(|t| {
            let corners = rest(near, t.radius(), self.side.fine);
            let way: f64 = corners
                .components()
                .iter()
                .filter_map(Region::bounds)
                .map(|(a, b)| 1.5 * a.distance(b) + 4.0 * finish.radius())
                .sum();
            let both = minutes(t, wall) + minutes(finish, way);
            (alone - both > WORTH).then_some((both, t, corners))
        });
        ways.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, t, corners)| (t.clone(), corners))
    }

    pub(crate) fn walls(&self, j: &Job, round: Round) -> Option<Cut> {
        let id = match round {
            Round::First(t) => Self::id(OpKind::Wall, &format!("{}/{}", j.key, shop::tool::trim(t.diameter_mm))),
            Round::Last => Self::id(OpKind::Wall, &j.key),
        };
        let tool = self.tool_for(&id, round.tool(j)).clone();
        let o = self.override_of(&id);
        let r = tool.radius();
        let arena = self.arena(r);
        let allowed = arena.minus(&j.shadow.grown(r, FINE)).intersect(&j.open.grown(0.01, COARSE));
        let standing = self.standing(j, j.low).grown(r + CLEAR_OF, COARSE);
        let allowed = allowed.minus(&standing);
        // Where this setup has material to take at the wall, and the part is what bounds the path.
        let wall = self.side.view.of_part(&j.shadow, j.low);
        let mut only = j.goal.grown(r - 0.02, FINE).intersect(&wall.grown(r + 0.004, FINE));
        let corners = j.first.as_ref().filter(|_| round == Round::Last);
        if let Some((_, corners)) = corners {
            only = only.intersect(&corners.grown(r + CORNER_OVERLAP, COARSE));
        }
        // Walls that go on deeper are finished there in one go.
        let deeper =
            if j.deeper.is_empty() { Region::empty() } else { arena.minus(&arena.minus(&j.deeper).grown(r, FINE)) };
        let not = (!deeper.is_empty()).then(|| {
            let rings: Vec<Region> = deeper
                .loops()
                .into_iter()
                .map(|mut l| {
                    l.push(l[0]);
                    Region::swept(&l, 0.004, FINE)
                })
                .collect();
            Region::union_all(&rings)
        });
        let entry = arena.minus(&j.shadow.grown(r + WALL_SKIN + 0.08, FINE)).intersect(&j.open).minus(&standing);
        let height = (j.wall_top - j.low).at_least(j.high - j.low);
        let mut data = self.wall_data(&id, &tool, height);
        self.overrule(&mut data, &o, &tool);
        let n = (height / data.ap.value.at_least(0.1)).ceil().at_least(1.0);
        let levels: Vec<f64> = (1..=n as usize).map(|k| j.low + height - height * k as f64 / n).collect();
        let walls =
            Walls { allowed, only: Some(only), not, entry, radius: r, levels, width: WALL_SKIN, tolerance: 0.0012 };
        let feeds = Feeds {
            cut: data.feed.value,
            plunge: data.plunge,
            link: self.side.shop.machine.feed_max_mm_min,
            brush: self.side.shop.machine.feed_max_mm_min,
        };
        let moves = finish_walls(&walls, feeds, self.clear_z, &self.stock);
        // In corners the skin is met over a wider angle; this is what is stated for the finish.
        data.engagement = FRAC_PI_2;
        let swept = walls.allowed.shrunk(0.002, FINE).grown(r - 0.002, FINE).intersect(&j.open);
        let what = if corners.is_some() { format!("corners of {}", j.name) } else { j.name.to_string() };
        let title = format!("Profile {what} to Z{:.2}, {}", len(j.low), tool.words());
        let why = match (round, corners) {
            (Round::First(_), _) => {
                "The cutter that roughs here finishes the walls that it reaches: it bends less than the slim one that the corners ask for, which is left only those"
            }
            (_, Some(_)) => "Corners that the larger cutter left, once it has finished the walls between them",
            _ => "Walls last, climb, in one go from top to bottom where the flutes reach",
        };
        let cutter = vec![
            Term::new(
                "R",
                "cutter radius, at most 0.8 × the smallest corner where the crib allows (common practice, no source)",
                r,
                "mm",
            ),
            Term::new("h", "height of wall", height, "mm"),
        ];
        let op =
            self.operation(OpKind::Wall, id, title, &tool, (j.low, j.low + height), why, Some(data), moves, cutter);
        Some(Cut { op, swept: vec![(swept, j.low)], named: None })
    }
}
