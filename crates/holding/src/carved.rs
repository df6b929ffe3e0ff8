//! Pieces that are made to hold another: a block with pockets from above.

use crate::hold::Body;
use geom::{Box3, DVec2, Region};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What is cut into a piece's top: all in its outlines, down to a height; islands stay in it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Pocket {
    /// "nest", "room below", "notch", "relief".
    pub name: String,
    /// Closed outlines, mm.
    #[ts(type = "[number, number][][]")]
    pub outlines: Vec<Vec<DVec2>>,
    /// Height of its floor, mm.
    pub floor: f64,
    /// Outlines of what stays standing on its floor, mm.
    #[ts(type = "[number, number][][]")]
    pub islands: Vec<Vec<DVec2>>,
    /// Height up to which it stays, mm.
    pub islands_to: f64,
}

impl Pocket {
    pub(crate) fn of(name: &str, r: &Region, floor: f64) -> Pocket {
        Pocket { name: name.into(), outlines: r.loops(), floor, islands: Vec::new(), islands_to: floor }
    }
    /// What it leaves open just above a height.
    fn open_at(&self, z: f64) -> Region {
        if z < self.floor {
            return Region::empty();
        }
        let all = Region::from_oriented(&self.outlines);
        if z < self.islands_to { all.minus(&Region::from_oriented(&self.islands)) } else { all }
    }
}

/// A piece that is made to hold another, as it is to be modelled: a block with pockets from above.
#[derive(Debug, Clone, PartialEq)]
pub struct Carved {
    /// After the skim.
    pub block: Box3,
    /// From above.
    pub pockets: Vec<Pocket>,
}

impl Carved {
    /// As a body in layers, from below up.
    pub(crate) fn body(&self, name: &str) -> Body {
        let b = self.block;
        let mut heights: Vec<f64> = self.pockets.iter().flat_map(|p| [p.floor, p.islands_to]).collect();
        heights.extend([b.min.z, b.max.z]);
        heights.retain(|z| (b.min.z..=b.max.z).contains(z));
        heights.sort_by(f64::total_cmp);
        heights.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
        let whole = Region::rect(b.min.truncate(), b.max.truncate());
        let layer = |w: &[f64]| {
            let open: Vec<Region> = self.pockets.iter().map(|p| p.open_at(w[0] + 1e-6)).collect();
            (w[0], w[1], whole.minus(&Region::union_all(&open)).simplified(0.005).loops())
        };
        Body { layers: heights.windows(2).map(layer).collect(), ..Body::boxed(name, b.min, b.max) }
    }
}
