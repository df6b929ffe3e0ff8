//! Chamfers, and slanted faces that no cutter here makes.

use crate::op::OpKind;
use crate::setup::Work;
use cutting::{MillTask, mill};
use geom::{DVec2, Region};
use part::{Chamfer, OFF_FLOOR};
use path::Feeds;
use path::chamfer::{Edges, chamfer};
use reason::{Finding, Kind, Place, Severity, Sure, Term, len};
use shop::tool::{Tool, ToolKind};
use std::f64::consts::FRAC_PI_2;

/// Chamfers up to this height are cut with the chamfer mill, mm.
pub(crate) const LARGEST_CHAMFER: f64 = 3.2;

impl Work<'_, '_> {
    /// Chamfers of 45°, with the flank of the chamfer mill.
    pub(crate) fn chamfers(&mut self) {
        let Some(tool) = self
            .side
            .shop
            .crib
            .iter()
            .find(|t| t.kind == ToolKind::Chamfer && (t.point_angle_deg - 90.0).abs() < 0.01)
            .cloned()
        else {
            return;
        };
        for c in self.side.view.chamfers(LARGEST_CHAMFER) {
            if c.lines.iter().flatten().all(|p| self.is_mine(*p)) {
                self.chamfer(&c, &tool);
            }
        }
    }

    fn chamfer(&mut self, c: &Chamfer, tool: &Tool) {
        let view = self.side.view;
        let key = self.place((c.bounds.min.truncate() + c.bounds.max.truncate()) / 2.0, c.low);
        let id = Self::id(OpKind::Chamfer, &key);
        let o = self.override_of(&id);
        let size = c.high - c.low;
        // The flank cuts where it is widest: speed goes by that.
        let wide = tool.tip_diameter_mm + 2.0 * (1.0 + size);
        let task = MillTask {
            depth: size,
            width: size,
            bend: 0.03,
            feed_share: 0.6,
            kappa: FRAC_PI_2 / 2.0,
            cuts_at: Some(if wide < tool.diameter_mm { wide } else { tool.diameter_mm }),
            finish: false,
            most_n: self.side.most_n(&id),
        };
        let mut data = mill(&task, tool, self.side.material, &self.side.shop.machine);
        self.overrule(&mut data, &o, tool);
        data.engagement = std::f64::consts::PI;
        let feeds = Feeds { cut: data.feed.value, plunge: data.plunge, link: data.feed.value, brush: data.feed.value };
        let tip_r = tool.tip_diameter_mm / 2.0;
        let section = view.shadow(c.low - OFF_FLOOR);
        let mut best: Option<(path::chamfer::Chamfered, f64)> = None;
        // The tip as far below the edge as there is room for.
        for below in [1.0, 0.6, 0.3, 0.12] {
            if tip_r + below + size > tool.radius() - 0.05 {
                continue;
            }
            let tip_z = c.low - below;
            let offset = tip_r + below;
            let near =
                Region::union_all(&c.lines.iter().map(|l| Region::swept(l, offset + 30.0, 0.5)).collect::<Vec<_>>());
            let mut blocked = Vec::new();
            let mut heights = vec![
                OFF_FLOOR,
                below * 0.5,
                below - 0.01,
                below + size * 0.5,
                below + size + 0.02,
                tool.point_height(),
                tool.point_height() + 1.0,
            ];
            heights.extend(self.floors.iter().map(|f| f - tip_z - OFF_FLOOR).filter(|h| *h > 0.0));
            for h in heights {
                let r = tool.radius_at(h).at_least(if h > tool.flute_length_mm {
                    tool.shank_diameter_mm / 2.0
                } else {
                    0.0
                });
                blocked.push(view.shadow(tip_z + h).intersect(&near).grown(r - 0.02, 0.002));
            }
            for (r, from, _) in tool.dead_body() {
                blocked.push(view.shadow(tip_z + from).intersect(&near).grown(r + 0.3, 0.01));
            }
            // Stock that this side has not cleared is in the way too.
            let standing =
                self.stock.between(tip_z, f64::INFINITY).minus(&view.shadow(tip_z).grown(0.35, 0.01)).opened(0.2, 0.02);
            blocked.push(standing.grown(tool.radius(), 0.02));
            let edges = Edges {
                lines: c.lines.clone(),
                section: section.clone(),
                offset,
                blocked: Region::union_all(&blocked),
                tip_z,
                radius: tool.radius(),
            };
            let done = chamfer(&edges, feeds, self.clear_z, &self.stock);
            let better = best.as_ref().is_none_or(|b| done.blocked < b.0.blocked - 0.05);
            if better {
                let clean = done.blocked < 0.05 && done.kept > 0.0;
                best = Some((done, below));
                if clean {
                    break;
                }
            }
        }
        let missed = best.as_ref().map_or_else(|| c.lines.clone(), |b| b.0.missed.clone());
        self.name_chamfer_ends(c, &missed, &key);
        let (kept, blocked) = best.as_ref().map_or((0.0, 1.0), |b| (b.0.kept, b.0.blocked));
        if kept <= 0.0 || blocked > 0.05 {
            let back = view.from_part.inverse();
            let places = c
                .faces
                .iter()
                .map(|&f| back.bounds(&view.face_bounds(f as usize).grown(0.02)))
                .map(|b| Place::new(b.min, b.max))
                .collect();
            let what = if kept > 0.0 {
                format!("A {size:.2} mm chamfer ends at a wall that the chamfer mill cannot pass", size = len(size))
            } else {
                format!("A {size:.2} mm chamfer has no room for the chamfer mill", size = len(size))
            };
            self.named.push(
                Finding::new(
                    Kind::Chamfer,
                    Severity::Warn,
                    what,
                    "Deburr the rest by hand, or use a smaller chamfer cutter.",
                )
                .keyed(&key)
                .in_setup(self.side.name)
                .at(places),
            );
        }
        if let Some((done, below)) = best
            && done.kept > 0.0
        {
            let title = format!("Chamfer {size:.2} × 45°, {}", tool.words(), size = len(size));
            self.push(
                OpKind::Chamfer,
                id,
                title,
                tool,
                (c.low - below, c.high),
                "Once the edges exist, and before the part is turned over",
                Some(data),
                done.moves,
                vec![Term::new("below", "tip below the edge, so that the flank cuts", below, "mm")],
            );
        }
    }

    /// Where a chamfer ends at a wall or turns a sharp corner, a cone leaves a little: named, and listed if it is measured.
    fn name_chamfer_ends(&mut self, c: &Chamfer, missed: &[Vec<DVec2>], key: &str) {
        const SHARP: f64 = 0.35;
        let mut at: Vec<DVec2> = Vec::new();
        for l in &c.lines {
            let closed = l[0].distance(l[l.len() - 1]) < 1e-6;
            let n = l.len();
            for k in 0..n {
                let before = if k > 0 { Some(l[k - 1]) } else { closed.then(|| l[n - 2]) };
                let after = if k + 1 < n { Some(l[k + 1]) } else { closed.then(|| l[1]) };
                let sharp = match (before, after) {
                    (Some(a), Some(b)) => (l[k] - a).angle_to(b - l[k]).abs() > SHARP,
                    _ => true,
                };
                if sharp {
                    at.push(l[k]);
                }
            }
        }
        let size = c.high - c.low;
        let around = 1.6 * size + 0.2;
        let mut ends: Vec<Region> = at.iter().map(|&p| Region::disc(p, around, 0.05)).collect();
        ends.extend(missed.iter().map(|l| Region::swept(l, around, 0.05)));
        let what = format!(
            "A {size:.2} mm chamfer ends at a wall or turns a sharp corner, where a cone leaves a little",
            size = len(size)
        );
        // Each end its own place: two that touch must not make one large box.
        for (k, e) in ends.iter().enumerate() {
            self.name_left(
                e,
                c.low - 0.05,
                c.high + 0.05,
                Kind::ChamferEnd,
                &format!("{key}/{k}"),
                what.clone(),
                "Deburr it by hand.",
            );
        }
    }
}
