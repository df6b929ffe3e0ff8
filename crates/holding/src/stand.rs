//! Sides after the first: square to the part, standing on finished faces, or tilted; which way holds each, and what else would.

use crate::frame::{Duty, NotPlanned, Offer, Setup, Wish};
use crate::further::{Further, Only, further, slanted};
use crate::hold::HoldKind;
use crate::seen::Asked;
use crate::tilted::{self, Sloped, Tilted};
use crate::vise::Held;
use crate::ways::{Way, other, standing, way_of_further};
use geom::{Box3, DVec3, Placement};
use part::Part;
use reason::{Finding, Kind, Place, Severity};
use shop::Shop;
use shop::machine::Material;

/// What the planning of every side reads.
#[derive(Clone, Copy)]
pub(crate) struct Bench<'a> {
    pub part: &'a Part,
    pub shop: &'a Shop,
    pub material: &'a Material,
    pub wish: &'a Wish,
}

impl<'a> Bench<'a> {
    /// What a hold that is made to the whole part is asked, with so much above the part, mm.
    pub fn asked(&self, part_from_work: Placement, setup: &'a str, over: f64) -> Asked<'a> {
        let Bench { part, shop, material, .. } = *self;
        let (only, covered, stock) = (false, false, None);
        Asked { part, part_from_work, shop, material, setup, over, cuts: &[], only, covered, stock }
    }
    /// Standing on finished faces, what the first two sides do not see; then on slopes.
    pub fn further_sides(&self, up: DVec3) -> Vec<Stand> {
        let upright = |(k, f): (usize, Further)| {
            let (name, duty) = (format!("side {}", k + 3), Duty::Only(f.only));
            let way = way_of_further(self.part, f.up, self.shop, self.material, self.wish, &name, &duty);
            let frame = standing(way.up, way.back, &self.part.bounds);
            Stand { name, way: How::Upright(Box::new(way)), up: f.up, frame, duty, over: 0.0 }
        };
        let across = further(self.part, up, &self.shop.crib, &[]);
        let ups: Vec<DVec3> = [up, -up].into_iter().chain(across.iter().map(|f| f.up)).collect();
        let tilted: Vec<Stand> =
            slanted(self.part, &ups, &self.shop.crib).into_iter().map(|f| self.tilted_side(f)).collect();
        // What a tilted side sees as well is left to it: it is square to it.
        let held: Vec<(DVec3, &Only)> = tilted.iter().filter_map(Stand::tilted_for).collect();
        let across = if held.is_empty() { across } else { further(self.part, up, &self.shop.crib, &held) };
        let mut out: Vec<Stand> = across.into_iter().enumerate().map(upright).chain(tilted).collect();
        for (k, s) in out.iter_mut().filter(|s| !s.is_given_up()).enumerate() {
            s.name = format!("side {}", k + 3);
        }
        out
    }
    /// Tilted between the jaws.
    fn tilted_side(&self, f: Further) -> Stand {
        let Bench { part, shop, material, .. } = *self;
        let found = if self.wish.kinds.allow(HoldKind::Vise) {
            tilted::design(&Sloped { part, shop, material, up: f.up, cuts: &f.only.places })
        } else {
            Err("not wanted".into())
        };
        let frame = found.as_ref().map_or(Placement::IDENTITY, |(frame, _)| *frame);
        let way = How::Tilted(Box::new(found.map(|(_, t)| t)));
        Stand { name: String::new(), way, up: f.up, frame, duty: Duty::Only(f.only), over: 0.0 }
    }
}

/// How a side after the first stands.
#[derive(Clone)]
enum How {
    /// Square to the part.
    Upright(Box<Way>),
    /// On a slope between the jaws, or why not.
    Tilted(Box<Result<Tilted, String>>),
}

/// A side after the first, with the way it stands.
#[derive(Clone)]
pub(crate) struct Stand {
    pub name: String,
    way: How,
    /// Up, part coordinates.
    pub up: DVec3,
    frame: Placement,
    duty: Duty,
    /// Stock above the part, mm.
    over: f64,
}

impl Stand {
    /// Turned over, in the frame of the finished part, with so much stock above it, mm.
    pub fn second(way: Way, up: DVec3, frame: Placement, duty: Duty, over: f64) -> Stand {
        Stand { name: "side 2".into(), way: How::Upright(Box::new(way)), up, frame, duty, over }
    }
    /// Up, and what it is for, where it is tilted and held.
    fn tilted_for(&self) -> Option<(DVec3, &Only)> {
        match (&self.way, &self.duty) {
            (How::Tilted(t), Duty::Only(only)) if t.is_ok() => Some((self.up, only)),
            _ => None,
        }
    }
    /// A slope on which nothing holds it: what it would cut stays rough.
    pub fn is_given_up(&self) -> bool {
        matches!(&self.way, How::Tilted(t) if t.is_err())
    }
    fn size(&self, b: &Bench) -> DVec3 {
        self.frame.inverse().bounds(&b.part.bounds).size()
    }
    /// Between flat jaws.
    fn flat(&self, way: &Way, b: &Bench) -> Setup {
        let body = self.size(b);
        let grip = way.jaw_top;
        let held = Held {
            on: "finished walls",
            grip,
            length: way.contact.length,
            above: body.z + self.over - grip,
            bearing: way.bearing,
        };
        held.grip(body, b.shop, b.material).setup(&self.name, self.duty.clone(), self.frame, b.shop)
    }
    /// Which way holds it: the simplest that does.
    pub fn held_by(&self) -> Option<HoldKind> {
        match &self.way {
            How::Upright(way) => way.held_by(),
            How::Tilted(t) => t.is_ok().then_some(HoldKind::Vise),
        }
    }
    /// Held by the simplest way that does.
    pub fn setup(&self, b: &Bench) -> Option<Setup> {
        match &self.way {
            How::Tilted(t) => {
                let t = t.as_ref().as_ref().ok()?;
                Some(t.clone().setup(&self.name, self.duty.clone(), self.frame, b.shop))
            }
            How::Upright(way) => match way.held_by()? {
                HoldKind::Vise => Some(self.flat(way, b)),
                kind => {
                    let found = way.found(kind)?.as_ref().ok()?.clone();
                    Some(found.under(self.over).setup(&self.name, self.duty.clone(), self.frame, b.shop))
                }
            },
        }
    }
    /// Why nothing holds it.
    pub fn why_not(&self) -> String {
        match &self.way {
            How::Upright(way) => way.why_not(self.up),
            How::Tilted(t) => {
                let why = t.as_ref().as_ref().err().cloned().unwrap_or_default();
                format!("tilted, {} up: {why}", part::direction_words(self.up))
            }
        }
    }
    pub fn not_planned(&self, why: String) -> NotPlanned {
        NotPlanned { name: self.name.clone(), why, up: self.up }
    }
    /// Every way of it, chosen or not.
    pub fn offers(&self, b: &Bench) -> Vec<Offer> {
        let chosen = self.held_by();
        let way = match &self.way {
            How::Upright(way) => way,
            How::Tilted(_) => {
                // Nothing else holds a piece on a slope.
                return self.setup(b).map(|s| Offer::of(HoldKind::Vise, &s, true)).into_iter().collect();
            }
        };
        let offer = |kind: HoldKind| {
            let is = chosen == Some(kind);
            if kind == HoldKind::Vise {
                return if way.flat_holds() {
                    Offer::of(kind, &self.flat(way, b), is)
                } else {
                    Offer::refused(kind, &self.name, &way.why_no_flat_jaws(self.up))
                };
            }
            let found = match way.found(kind) {
                Some(f) => f.clone(),
                None if b.wish.kinds.allow(kind) => {
                    other(kind, b.part, self.frame, b.shop, b.material, &self.name, &self.duty)
                }
                None => Err("not wanted".into()),
            };
            match found {
                Ok(h) => {
                    let s = h.under(self.over).setup(&self.name, self.duty.clone(), self.frame, b.shop);
                    Offer::of(kind, &s, is)
                }
                Err(why) => Offer::refused(kind, &self.name, &why),
            }
        };
        HoldKind::ALL.map(offer).to_vec()
    }
    /// What is told where it is given up.
    pub fn stays_rough(&self) -> Option<Finding> {
        self.is_given_up().then(|| not_tilted(&self.why_not(), &self.duty))
    }
}

/// An inclined flat or hole that no tilted setup cuts.
fn not_tilted(why: &str, duty: &Duty) -> Finding {
    let places = if let Duty::Only(o) = duty { Some(Box3::of(o.places.iter().copied())) } else { None };
    Finding::new(
        Kind::NotTilted,
        Severity::Warn,
        format!("No tilted setup cuts what is inclined here: {why}"),
        "Where the crib has balls, one finishes a slope that an upright side sees, with ridges; holes and pockets in it are left for the hand or another shop, or the part gets a flat to stand on and two walls square to the tilt.",
    )
    .keyed(places.map_or_else(String::new, |b| format!("{:.0}_{:.0}_{:.0}", b.middle().x, b.middle().y, b.middle().z)))
    .at(places.map(|b| Place::new(b.min, b.max)).into_iter().collect())
}
