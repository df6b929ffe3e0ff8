//! Whole ways of making a part: their names, and all that come into question side by side.

use crate::frame::{Choice, HoldError, Order, Scheme};
use crate::hold::HoldKind;
use crate::plan::plan_way;
use crate::stand::{Bench, Stand};
use crate::ways::{Look, Sides, Way, look};
use geom::DVec3;
use part::Part;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Material;
use std::fmt;
use std::str::FromStr;

/// How the block is used up, side after side.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum School {
    /// Extra stock below holds the first side; the second faces it off.
    Deck,
    /// No extra stock: a little more than half from each side.
    Half,
    /// A sheet, stuck down by its lower face, which stays as it comes; all that is seen from above is cut, the outline too. What is open below follows.
    Sheet,
    /// Both faces and all inside them in the vise, which holds the block around the part; the outline last, held by the part's own holes.
    Inside,
    /// A plate on the table, its lower face as it comes: all inside the outline under straps at its ends; then the outline, screwed down through its own holes.
    Table,
    /// From a bar in a collet block: its end and what lies across in it, turned as a unit; then sawn off, and its other end.
    Bar,
}

impl School {
    /// All, the usual one first.
    pub const ALL: [School; 6] =
        [School::Deck, School::Half, School::Sheet, School::Inside, School::Table, School::Bar];
    /// In names.
    pub fn key(self) -> &'static str {
        match self {
            School::Deck => "deck",
            School::Half => "half",
            School::Sheet => "sheet",
            School::Inside => "inside",
            School::Table => "table",
            School::Bar => "bar",
        }
    }
    /// For a person.
    pub fn words(self) -> &'static str {
        match self {
            School::Deck => "hat and deck",
            School::Half => "half from each side",
            School::Sheet => "a sheet stuck down",
            School::Inside => "the outline last",
            School::Table => "on the table",
            School::Bar => "from a bar",
        }
    }
    /// Comes a way of holding after its first side into question at all?
    pub(crate) fn takes(self, hold: HoldKind) -> bool {
        (self == School::Inside) == (hold == HoldKind::Plate)
            && (self == School::Table) == (hold == HoldKind::Straps)
            && (self == School::Bar) == (hold == HoldKind::Collet)
    }
}

/// The name of a whole way: "deck.soft-jaws.+z.x" – hat and deck, the second side in soft jaws, the part's +z up first, jaws along its x.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct SchemeId {
    /// How the block is used up.
    pub school: School,
    /// What holds the second side.
    pub hold: HoldKind,
    /// Axis of the part that is up first (0 x, 1 y, 2 z), its positive end or not.
    pub up: (usize, bool),
    /// Axis of the part along which the jaws of the first side run.
    pub along: usize,
}

const AXES: [char; 3] = ['x', 'y', 'z'];

impl fmt::Display for SchemeId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let sign = if self.up.1 { '+' } else { '-' };
        let (up, along) = (AXES[self.up.0.min(2)], AXES[self.along.min(2)]);
        write!(f, "{}.{}.{sign}{up}.{along}", self.school.key(), self.hold.key())
    }
}

impl FromStr for SchemeId {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        let wrong = || format!("'{s}' names no way of making a part; one is 'deck.soft-jaws.+z.x'");
        let words: Vec<&str> = s.split('.').collect();
        let [school, hold, up, along] = words[..] else { return Err(wrong()) };
        let axis = |w: &str| AXES.iter().position(|a| w.chars().eq([*a]));
        let positive = match up.chars().next() {
            Some('+') => true,
            Some('-') => false,
            _ => return Err(wrong()),
        };
        let school = School::ALL.into_iter().find(|x| x.key() == school).ok_or_else(wrong)?;
        let hold = HoldKind::ALL.into_iter().find(|x| x.key() == hold).ok_or_else(wrong)?;
        let (up, along) = (axis(&up[1..]).ok_or_else(wrong)?, axis(along).ok_or_else(wrong)?);
        if up == along {
            return Err(wrong());
        }
        Ok(SchemeId { school, hold, up: (up, positive), along })
    }
}

impl TryFrom<String> for SchemeId {
    type Error = String;
    fn try_from(s: String) -> Result<Self, String> {
        s.parse()
    }
}

impl From<SchemeId> for String {
    fn from(id: SchemeId) -> String {
        id.to_string()
    }
}

impl SchemeId {
    /// Which way is up first.
    pub fn order(&self) -> Order {
        Order::Up { axis: self.up.0, positive: self.up.1 }
    }
    /// Up first, part coordinates.
    pub fn up(&self) -> DVec3 {
        let mut d = DVec3::ZERO;
        d[self.up.0.min(2)] = if self.up.1 { 1.0 } else { -1.0 };
        d
    }
    /// "+Z up first, then in soft jaws; hat and deck".
    pub fn words(&self) -> String {
        self.in_words(&format!("{} up first", part::direction_name(self.up())))
    }
    /// The same of both ends.
    pub fn whichever_up(&self) -> String {
        self.in_words("either end up first")
    }
    fn in_words(&self, up: &str) -> String {
        let hold = match self.hold {
            HoldKind::Vise => "between flat jaws",
            HoldKind::Chuck => "in a chuck on the table",
            HoldKind::SoftJaws => "in soft jaws",
            HoldKind::Plate => "on a plate by its own holes",
            HoldKind::Bond => "stuck to a pallet",
            HoldKind::Straps => "screwed to a sheet",
            HoldKind::Collet => "in a collet block",
        };
        match (self.school, self.hold) {
            (School::Sheet, HoldKind::Bond) => format!("{up}, a sheet stuck to a pallet"),
            (School::Sheet, _) => format!("{up}, a sheet stuck to a pallet; what is left {hold}"),
            (School::Table, _) => format!("{up}, on a sheet on the table; straps first, screws for the outline"),
            (School::Bar, _) => {
                format!("{up}, from a bar {hold} that is turned as a unit; then sawn off, and the other end")
            }
            (School::Inside, _) => format!("{up}, both faces in the vise; the outline last, {hold}"),
            _ => format!("{up}, then {hold}; {}", self.school.words()),
        }
    }
}

/// A whole way that came into question.
#[derive(Debug, Clone)]
pub struct Candidate {
    /// Its name.
    pub id: SchemeId,
    /// Block and setups; or why it cannot be.
    pub scheme: Result<Scheme, String>,
}

/// Every whole way that comes into question, the proposed one first, refused ones last: of each kind and each end up the better of both ways round. What a person
/// wants of order and kinds is kept; which one is chosen is not looked at.
///
/// # Errors
/// Where the block that is wanted is no block for the part.
pub fn schemes(part: &Part, shop: &Shop, material: &Material, choice: &Choice) -> Result<Vec<Candidate>, HoldError> {
    let mut open = *choice;
    open.wish.scheme = None;
    let sides: Sides = look(part, shop, material, &open.wish, Look::All);
    let b = Bench { part, shop, material, wish: &open.wish };
    // Sides across hang on the first one's up only.
    let mut ups: Vec<DVec3> = Vec::new();
    sides.ways.iter().for_each(|w| {
        if !ups.contains(&w.up) {
            ups.push(w.up);
        }
    });
    let across: Vec<Vec<Stand>> = ups.par_iter().map(|up| b.further_sides(*up)).collect();
    let asked = School::ALL.into_iter().flat_map(|s| HoldKind::ALL.map(|k| (s, k)));
    let asked: Vec<(School, HoldKind, usize)> = asked
        .filter(|(s, k)| s.takes(*k) && open.wish.kinds.allow(*k))
        .flat_map(|(s, k)| (0..ups.len()).map(move |u| (s, k, u)))
        .collect();
    let best = |&(school, hold, u): &(School, HoldKind, usize)| -> Result<Option<Candidate>, HoldError> {
        let mut out: Option<Candidate> = None;
        for way in sides.ways.iter().filter(|w| w.up == ups[u]) {
            let id = way.id(school, hold);
            let way = Way { only: Some(hold), ..way.clone() };
            let stock = open.block(school);
            let scheme = match plan_way(&b, &stock, &way, id, &across[u], false) {
                Ok(s) => s.refused(id, &stock).map_or(Ok(s), Err),
                Err(HoldError::First(why)) => Err(why),
                Err(e) => return Err(e),
            };
            // Ways stand in order: the other way round only counts where this one cannot be.
            if scheme.is_ok() {
                return Ok(Some(Candidate { id, scheme }));
            }
            out.get_or_insert(Candidate { id, scheme });
        }
        Ok(out)
    };
    let found: Result<Vec<Option<Candidate>>, HoldError> = asked.par_iter().map(best).collect();
    let mut out: Vec<Candidate> = found?.into_iter().flatten().collect();
    let place = |c: &Candidate| {
        let way = sides.ways.iter().position(|w| c.id == w.id(c.id.school, c.id.hold)).unwrap_or(usize::MAX);
        (c.scheme.is_err(), c.id.school, c.id.hold, way)
    };
    out.sort_by_key(place);
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_read_as_they_are_written() {
        for school in School::ALL {
            for hold in HoldKind::ALL {
                for up in [(0, true), (1, false), (2, true)] {
                    let id = SchemeId { school, hold, up, along: (up.0 + 2) % 3 };
                    assert_eq!(id.to_string().parse::<SchemeId>().unwrap(), id);
                    assert_eq!(serde_json::from_str::<SchemeId>(&serde_json::to_string(&id).unwrap()).unwrap(), id);
                }
            }
        }
        for wrong in
            ["", "deck", "deck.vise.+z", "deck.vise.z.x", "deck.vise.+z.z", "deck.vise.+w.x", "deck.clamp.+z.x"]
        {
            assert!(wrong.parse::<SchemeId>().unwrap_err().contains("deck.soft-jaws"), "{wrong}");
        }
        assert!("deck.vise.\u{e4}z.x".parse::<SchemeId>().is_err());
    }
}
