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
    /// With `wait`, `busy` and `away`: seconds until it is worth another try.
    pub seconds: Option<u32>,
    /// Under this the log tells more.
    pub id: Option<String>,
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
    /// The database does not answer: it is starting again, or the way to it is broken.
    #[error("The database is away just now. What was saved is safe; this was not saved yet. Try again in a moment")]
    Away(String),
    /// Nothing more can be written.
    #[error(
        "The server's disk is full: nothing was saved. Everything can still be read; make room on the disk, then try again"
    )]
    Full(String),
    /// A shop's room is full.
    #[error("{0}")]
    Quota(String),
    /// What a client sends comes too slowly.
    #[error("What you send comes too slowly and was broken off; try again on a better line")]
    Slow,
    /// The address knows another way of asking only.
    #[error("This address is not asked that way")]
    OtherMethod,
    /// What a process beside this one refused: status, code, sentence.
    #[error("{2}")]
    Passed(u16, String, String),
    /// Our own fault.
    #[error("Something went wrong here; it is in the server's log. Nothing of yours is lost; try again")]
    Internal(String),
}

impl Fault {
    /// Our own fault, with what the log is to say.
    pub fn internal(why: String) -> Fault {
        Fault::Internal(why)
    }
    fn parts(&self) -> (u16, &str) {
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
            Fault::Away(_) => (503, "away"),
            Fault::Full(_) => (507, "full"),
            Fault::Quota(_) => (413, "quota"),
            Fault::Slow => (408, "slow"),
            Fault::OtherMethod => (405, "other_method"),
            Fault::Passed(status, code, _) => (*status, code),
            Fault::Internal(_) => (500, "internal"),
        }
    }
    /// For another process to pass on: status, code, sentence. Where it is our own fault the sentence is for the log.
    pub fn told(&self) -> (u16, String, String) {
        let (status, code) = self.parts();
        (status, code.into(), self.hidden().map_or_else(|| self.to_string(), String::from))
    }
    /// What was passed on, as what it was where that matters.
    pub fn passed(status: u16, code: String, why: String) -> Fault {
        match code.as_str() {
            "internal" => Fault::Internal(why),
            "away" => Fault::Away(why),
            "again" => Fault::Again(why),
            "full" => Fault::Full(why),
            _ => Fault::Passed(status, code, why),
        }
    }
}

/// MariaDB's words for 1213 (deadlock) and 1020 (a row changed under a snapshot).
const BROKEN_OFF: [&str; 2] = ["Deadlock found", "Record has changed since last read"];
/// Its words, and its client library's, for a server that is away or going: 2002, 2006, 2013, 2055, 1053, 1927.
const AWAY: [&str; 6] = [
    "Can't connect to",
    "server has gone away",
    "Lost connection to",
    "Server shutdown in progress",
    "Connection was killed",
    "MySQL client is not connected",
];
/// Its words for 1114 (no room in the table space), 1021 and 28 (none on the disk).
const FULL: [&str; 4] = ["is full", "Disk full", "No space left on device", "Got error 28"];

impl Fault {
    /// From the database's own words.
    pub fn of_database(why: String) -> Fault {
        // Its capitals change with the version.
        let low = why.to_lowercase();
        let is = |words: &[&str]| words.iter().any(|b| low.contains(&b.to_lowercase()));
        if is(&BROKEN_OFF) {
            Fault::Again(why)
        } else if is(&AWAY) {
            Fault::Away(why)
        } else if is(&FULL) {
            Fault::Full(why)
        } else {
            Fault::Internal(why)
        }
    }
    /// What the log is to say and the screen is not.
    fn hidden(&self) -> Option<&str> {
        match self {
            Fault::Internal(why) | Fault::Away(why) | Fault::Full(why) | Fault::Again(why) => Some(why),
            _ => None,
        }
    }
}

impl From<diesel::result::Error> for Fault {
    fn from(e: diesel::result::Error) -> Self {
        match e {
            diesel::result::Error::BrokenTransactionManager => Fault::Away(e.to_string()),
            e => Fault::of_database(e.to_string()),
        }
    }
}

impl ResponseError for Fault {
    fn status_code(&self) -> StatusCode {
        StatusCode::from_u16(self.parts().0).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR)
    }
    fn error_response(&self) -> HttpResponse {
        let id = self.hidden().and_then(crate::log::fault);
        let changed = if let Fault::Conflict { changed } = self { Some(changed.clone()) } else { None };
        let seconds = match self {
            Fault::Wait(s) | Fault::Busy(s) => Some(*s),
            Fault::Away(_) | Fault::Again(_) => Some(2),
            _ => None,
        };
        let mut answer = HttpResponse::build(self.status_code());
        if let Some(s) = seconds {
            answer.insert_header((header::RETRY_AFTER, s.to_string()));
        }
        let why = match (&id, self) {
            (Some(id), Fault::Internal(_)) => {
                self.to_string().replace("server's log", &format!("server's log under {id}"))
            }
            _ => self.to_string(),
        };
        answer.json(Refusal { error: self.parts().1.into(), why, changed, seconds, id })
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

    #[test]
    fn the_databases_words_are_understood() {
        let code = |w: &str| Fault::of_database(w.into()).parts().1.to_string();
        assert_eq!(code("Deadlock found when trying to get lock"), "again");
        assert_eq!(code("Lost connection to server during query"), "away");
        assert_eq!(code("Server has gone away"), "away");
        assert_eq!(code("The table 'blob_pieces' is full"), "full");
        assert_eq!(code("Unknown column 'x'"), "internal");
    }
}
