//! Everything that can go wrong for a person at a screen, with its status and its stable code.

use actix_web::http::{StatusCode, header};
use actix_web::{HttpResponse, ResponseError};
use serde::Serialize;
use ts_rs::TS;

/// What a screen gets instead of an answer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
pub struct Refusal {
    /// Stable code.
    pub error: String,
    /// A sentence that says what to do.
    pub why: String,
    /// With `conflict`: what was decided in the meantime, and by whom.
    pub changed: Option<String>,
    /// With `wait`: seconds.
    pub seconds: Option<u32>,
}

/// A fault.
#[derive(Debug, thiserror::Error)]
pub enum Fault {
    /// Nobody is signed in.
    #[error("Sign in first")]
    SignedOut,
    /// Name or password.
    #[error("Name and password do not belong together; try again, or ask the owner for a new password")]
    BadSignIn,
    /// Too many failures.
    #[error("Too many wrong passwords; wait {0} s and try again")]
    Wait(u32),
    /// Too much at once; come again after so many seconds.
    #[error("Too many models are being read just now; try again in {0} s")]
    Busy(u32),
    /// More windows than one can look at.
    #[error("Too many windows of yours are open; close some")]
    TooManyStreams,
    /// Only the owner may.
    #[error("Only the shop's owner can do this")]
    OwnerOnly,
    /// Asked by a name that is not the house's.
    #[error("This house does not answer to the name '{0}'; open it by its address, or name it in GOLDCHIP_HOSTS")]
    OtherName(String),
    /// From another page.
    #[error("This request comes from another page; open Gold Chip itself and try again")]
    OtherOrigin,
    /// It is not there, or not this shop's: the two look the same from outside.
    #[error("There is no such {0} in this shop")]
    NoSuch(&'static str),
    /// What was sent makes no sense.
    #[error("{0}")]
    Bad(String),
    /// A model that cannot be used.
    #[error("{0}")]
    Model(String),
    /// Too large.
    #[error("{0}")]
    TooLarge(String),
    /// Somebody else decided the same thing in the meantime.
    #[error("{changed} while you were looking; your change was not made. Look at theirs, then decide again")]
    Conflict {
        /// "Ida chose brass".
        changed: String,
    },
    /// There is nothing to undo or redo.
    #[error("{0}")]
    Nothing(&'static str),
    /// Not there yet.
    #[error("{0}")]
    NotYet(&'static str),
    /// The database broke off one of two acts that waited for one another; made again, it works.
    #[error("Too much happens at once; try again")]
    Again(String),
    /// Our own fault.
    #[error("Something went wrong here; it is in the server's log. Nothing of yours is lost; try again")]
    Internal(String),
}

impl Fault {
    /// Our own fault, with what the log is to say.
    pub fn internal(why: String) -> Fault {
        Fault::Internal(why)
    }
    fn parts(&self) -> (u16, &'static str) {
        match self {
            Fault::SignedOut => (401, "signed_out"),
            Fault::BadSignIn => (401, "bad_sign_in"),
            Fault::Wait(_) => (429, "wait"),
            Fault::TooManyStreams => (429, "too_many_streams"),
            Fault::Busy(_) => (503, "busy"),
            Fault::OwnerOnly => (403, "owner_only"),
            Fault::OtherName(_) => (421, "other_name"),
            Fault::OtherOrigin => (403, "other_origin"),
            Fault::NoSuch(_) => (404, "no_such"),
            Fault::Bad(_) => (400, "bad"),
            Fault::Model(_) => (422, "model_refused"),
            Fault::TooLarge(_) => (413, "too_large"),
            Fault::Conflict { .. } => (409, "conflict"),
            Fault::Nothing(_) => (409, "nothing"),
            Fault::NotYet(_) => (409, "not_yet"),
            Fault::Again(_) => (503, "again"),
            Fault::Internal(_) => (500, "internal"),
        }
    }
}

/// MariaDB's words for 1213 (deadlock) and 1020 (a row changed under a snapshot).
const BROKEN_OFF: [&str; 2] = ["Deadlock found", "Record has changed since last read"];

impl From<diesel::result::Error> for Fault {
    fn from(e: diesel::result::Error) -> Self {
        let why = e.to_string();
        if BROKEN_OFF.iter().any(|b| why.contains(b)) { Fault::Again(why) } else { Fault::Internal(why) }
    }
}

impl ResponseError for Fault {
    fn status_code(&self) -> StatusCode {
        StatusCode::from_u16(self.parts().0).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR)
    }
    fn error_response(&self) -> HttpResponse {
        if let Fault::Internal(why) = self {
            eprintln!("goldchip: {why}");
        }
        let changed = if let Fault::Conflict { changed } = self { Some(changed.clone()) } else { None };
        let seconds = if let Fault::Wait(s) | Fault::Busy(s) = self { Some(*s) } else { None };
        let mut answer = HttpResponse::build(self.status_code());
        if let Some(s) = seconds {
            answer.insert_header((header::RETRY_AFTER, s.to_string()));
        }
        answer.json(Refusal { error: self.parts().1.into(), why: self.to_string(), changed, seconds })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_fault_has_its_status_and_code() {
        let all = [
            (Fault::SignedOut, 401, "signed_out"),
            (Fault::Wait(3), 429, "wait"),
            (Fault::NoSuch("job"), 404, "no_such"),
            (Fault::Conflict { changed: "x".into() }, 409, "conflict"),
            (Fault::internal("secret".into()), 500, "internal"),
        ];
        for (f, status, code) in all {
            assert_eq!((f.status_code().as_u16(), f.parts().1), (status, code));
        }
        assert!(!Fault::internal("secret".into()).to_string().contains("secret"));
    }
}
