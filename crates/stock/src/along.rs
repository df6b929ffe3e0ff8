//! Along each axis of the piece: what there is, what the part takes, what is wanted at both ends, what is sawn.

use crate::lay::{Made, Wanted, axis};
use crate::piece::{Form, Piece, Range, Skin};
use crate::rules::{Allowance, Role, SERVES, allowance};
use crate::saw::KERF;
use geom::{DMat3, DVec3};
use reason::Sure;

/// An end shorter than this is left on: sawing it off saves nothing (common practice, no source).
const NOT_WORTH: f64 = 10.0;

/// One axis of the piece.
pub(crate) struct Along {
    /// Axis of the part, and does its positive direction run along the piece's?
    pub part: usize,
    pub same: bool,
    pub size: f64,
    pub have: Range,
    pub roles: [Role; 2],
    pub want: [Allowance; 2],
    pub sawn: bool,
    pub serves: bool,
    /// Low end of the blank, its length (shortest), low end of the part.
    pub at: f64,
    pub blank: f64,
    pub from: f64,
}

impl Along {
    pub fn need(&self) -> f64 {
        self.size + self.want[0].least + self.want[1].least
    }
    pub fn gaps(&self) -> [f64; 2] {
        [self.from - self.at, self.at + self.blank - self.from - self.size]
    }
    /// The same pair of ends, low and high on the part's own axis.
    pub fn on_part<T>(&self, [lo, hi]: [T; 2]) -> [T; 2] {
        if self.same { [lo, hi] } else { [hi, lo] }
    }
    pub fn longest(&self) -> f64 {
        if self.sawn { self.blank } else { self.have.most }
    }
}

/// The three axes of the piece with the part turned into them.
pub(crate) fn axes(w: &Wanted, piece: &Piece, turn: &DMat3, shift: [f64; 3], odd: bool) -> [Along; 3] {
    let env = piece.shape.envelope();
    let hat = match w.made {
        Made::Mill { hat, .. } => hat,
        Made::Turn { held, .. } => held,
    };
    let cast = piece.shape.cast();
    [0, 1, 2].map(|j| {
        let part = (0..3).find(|&k| (*turn * axis(k))[j].abs() > 0.5).unwrap_or(j);
        let size = w.bounds.size()[part];
        let roles = roles(w, turn, j, size);
        let skin = piece.skin_across(j);
        let mut want = roles.map(|r| allowance(skin, r, hat, cast));
        let have = env[j];
        let round = piece.shape.is_round_bar() && j > 0;
        let serves = !odd && !round && skin.finished() && have.is_one() && (have.least - size).abs() <= SERVES;
        if serves {
            let why = format!("the {} face of the bar stays as it is", skin.word());
            want = want.map(|a| Allowance { least: 0.0, squared: 0.0, why: why.clone(), ..a });
        }
        let same = (*turn * axis(part))[j] > 0.0;
        let mut a =
            Along { part, same, size, have, roles, want, sawn: false, serves, at: 0.0, blank: have.least, from: 0.0 };
        let worth = have.least >= a.need() && have.most - a.need() >= KERF + NOT_WORTH;
        if may_saw(&piece.shape, j, odd) && (odd || worth) {
            let cut = |r: Role| allowance(Skin::Sawn, r, hat, cast);
            a.sawn = true;
            a.want[1] = cut(a.roles[1]);
            if odd || shift[j] > 1e-9 {
                a.want[0] = cut(a.roles[0]);
            }
            a.blank = (a.need() * 2.0).ceil() / 2.0;
            if !odd {
                a.blank = a.blank.at_most(have.least);
                a.at = shift[j];
            }
            a.from = a.at + a.want[0].least;
            return a;
        }
        let extra = have.least - size;
        let middle = extra / 2.0;
        a.from = shift[j]
            + match a.roles {
                // A casting is over on all sides alike.
                _ if cast.is_some() => middle,
                [Role::Bottom, Role::Top] | [Role::Held, Role::Faced] => extra - a.want[1].least.at_most(middle),
                [Role::Top, Role::Bottom] | [Role::Faced, Role::Held] => a.want[0].least.at_most(middle),
                _ => middle,
            };
        a
    })
}

/// May the piece be sawn across this axis of its own?
fn may_saw(shape: &Form, j: usize, odd: bool) -> bool {
    match shape {
        Form::Casting { .. } | Form::Result { .. } => false,
        Form::Plate { .. } | Form::Block { .. } | Form::Slabs { .. } => j < 2,
        _ => j == 0 || (odd && j < 2),
    }
}

fn roles(w: &Wanted, turn: &DMat3, j: usize, size: f64) -> [Role; 2] {
    let along = |d: DVec3| (*turn * d)[j];
    match w.made {
        Made::Mill { up, back, .. } => {
            if along(up) > 0.5 {
                [Role::Bottom, Role::Top]
            } else if along(up) < -0.5 {
                [Role::Top, Role::Bottom]
            } else if along(back).abs() > 0.5 {
                [Role::Gripped; 2]
            } else {
                [Role::End; 2]
            }
        }
        Made::Turn { axis, diameter, .. } => {
            if along(axis).abs() < 0.5 {
                return [Role::Around; 2];
            }
            // A disc is held by its outside and turned round; whatever is longer is parted off.
            if size < diameter / 2.0 {
                [Role::Faced; 2]
            } else if along(axis) > 0.0 {
                [Role::Held, Role::Faced]
            } else {
                [Role::Faced, Role::Held]
            }
        }
    }
}
