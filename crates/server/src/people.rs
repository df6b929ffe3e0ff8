//! People: signing in and out, who may do what.

use crate::audit;
use crate::db::rows::Person;
use crate::db::schema::{people, sessions, shops};
use crate::db::{Conn, last_id, now};
use crate::fault::Fault;
use crate::watch;
use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use chrono::Duration;
use diesel::prelude::*;
use job::cache::hex;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use ts_rs::TS;
use unicode_normalization::UnicodeNormalization;

/// A session ends after this many days without a visit.
pub const IDLE_DAYS: i64 = 14;
/// Who is at the screen.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
pub struct Me {
    /// Person.
    #[ts(type = "number")]
    pub id: i64,
    /// Name.
    pub name: String,
    /// May change the shop.
    pub owner: bool,
    /// The shop's id.
    #[ts(skip)]
    #[serde(skip)]
    pub shop_id: i64,
    /// The shop's name.
    pub shop: String,
    /// "mm" or "inch".
    pub units: String,
}

/// Name and password.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct SignIn {
    /// As the owner wrote it.
    pub name: String,
    /// In the clear: the connection is the shop's own.
    pub password: String,
}

/// Argon2id with the library's recommended parameters (OWASP's: 19 MiB, 2 passes).
pub fn hash(password: &str) -> Result<String, Fault> {
    let h: argon2::password_hash::phc::PasswordHash =
        Argon2::default().hash_password(password.as_bytes()).map_err(|e| Fault::internal(e.to_string()))?;
    Ok(h.to_string())
}

/// Does the password belong to the hash?
pub fn fits(password: &str, hash: &str) -> bool {
    PasswordHash::new(hash).is_ok_and(|h| Argon2::default().verify_password(password.as_bytes(), &h).is_ok())
}

pub(crate) fn sha(token: &str) -> String {
    hex(&Sha256::digest(token.as_bytes()))
}

/// A name as it is kept: composed (NFKC), without spaces around it.
pub fn normal(name: &str) -> String {
    name.nfkc().collect::<String>().trim().to_string()
}

/// Characters that are not seen, or that turn the text round.
fn is_unseen(c: char) -> bool {
    c.is_control()
        || matches!(u32::from(c), 0xAD | 0x34F | 0x61C | 0x115F | 0x1160 | 0x17B4 | 0x17B5 | 0x180E | 0x200B..=0x200F
            | 0x2028..=0x202E | 0x2060..=0x206F | 0x3164 | 0xFE00..=0xFE0F | 0xFEFF | 0xFFA0 | 0xFFF9..=0xFFFB | 0xE0000..=0xE0FFF)
}

/// What a name looks like: names that are taken for one another have one (Unicode Technical Standard 39, confusables).
fn looks(name: &str) -> String {
    let lower: String = name.chars().flat_map(char::to_lowercase).collect();
    unicode_security::confusable_detection::skeleton(&lower).filter(|c| !c.is_whitespace()).collect()
}

/// A person by name.
pub fn find(c: &mut Conn, name: &str) -> Result<Option<Person>, Fault> {
    Ok(people::table
        .filter(people::name.eq(normal(name)).and(people::active.eq(true)))
        .select(Person::as_select())
        .first(c)
        .optional()?)
}

/// Open a session and give its token; only its hash is kept.
pub fn open_session(c: &mut Conn, person: i64) -> Result<String, Fault> {
    let token = hex(&rand::random::<[u8; 32]>());
    diesel::insert_into(sessions::table)
        .values((
            sessions::token_sha.eq(sha(&token)),
            sessions::person_id.eq(person),
            sessions::made_at.eq(now()),
            sessions::seen_at.eq(now()),
        ))
        .execute(c)?;
    let old = now() - Duration::days(IDLE_DAYS);
    diesel::delete(sessions::table.filter(sessions::seen_at.lt(old))).execute(c)?;
    Ok(token)
}

/// Who a token belongs to.
pub fn who(c: &mut Conn, token: &str) -> Result<Me, Fault> {
    let alive = now() - Duration::days(IDLE_DAYS);
    let key = sha(token);
    let row: Option<(Person, chrono::NaiveDateTime)> = sessions::table
        .inner_join(people::table)
        .filter(sessions::token_sha.eq(&key).and(sessions::seen_at.gt(alive)).and(people::active.eq(true)))
        .select((Person::as_select(), sessions::seen_at))
        .first(c)
        .optional()?;
    let (p, seen) = row.ok_or(Fault::SignedOut)?;
    if now() - seen > Duration::minutes(5) {
        diesel::update(sessions::table.find(&key)).set(sessions::seen_at.eq(now())).execute(c)?;
    }
    let (shop, units): (String, String) = shops::table.find(p.shop_id).select((shops::name, shops::units)).first(c)?;
    Ok(Me { id: p.id, name: p.name, owner: p.owner, shop_id: p.shop_id, shop, units })
}

/// End a session.
pub fn close_session(c: &mut Conn, token: &str) -> Result<(), Fault> {
    let whose: Option<i64> = sessions::table.find(sha(token)).select(sessions::person_id).first(c).optional()?;
    diesel::delete(sessions::table.find(sha(token))).execute(c)?;
    whose.map_or(Ok(()), |p| watch::person_changed(c, p))
}

/// Long enough, and not soon guessed (zxcvbn: Wheeler, "zxcvbn: low-budget password strength estimation", USENIX Security 2016).
fn good_password(password: &str, name: &str) -> Result<(), Fault> {
    if password.chars().count() < 10 {
        return Err(Fault::Bad("A password has at least 10 characters".into()));
    }
    if password.len() > 400 {
        return Err(Fault::Bad("A password has at most 400 characters".into()));
    }
    if zxcvbn::zxcvbn(password, &[name, "goldchip", "gold chip"]).score() < zxcvbn::Score::Three {
        return Err(Fault::Bad(
            "This password is soon guessed: it is common, or made of the name, a date or a row of keys. Take several words that have nothing to do with one another".into(),
        ));
    }
    Ok(())
}

/// Another password; whoever is signed in under the name is signed out, but for the session of `but` (a token).
fn put_password(c: &mut Conn, person: &Person, password: &str, but: Option<&str>) -> Result<(), Fault> {
    good_password(password, &person.name)?;
    diesel::update(people::table.find(person.id)).set(people::password.eq(hash(password)?)).execute(c)?;
    let kept = but.map(sha).unwrap_or_default();
    let others = sessions::person_id.eq(person.id).and(sessions::token_sha.ne(kept));
    diesel::delete(sessions::table.filter(others)).execute(c)?;
    watch::person_changed(c, person.id)
}

/// Another password, set by whoever keeps the server.
pub fn set_password(c: &mut Conn, name: &str, password: &str) -> Result<(), Fault> {
    let p = find(c, name)?.ok_or(Fault::NoSuch("person"))?;
    put_password(c, &p, password, None)?;
    audit::note_of(c, p.shop_id, None, "the server's keeper", "people", &format!("{} got a new password", p.name), "")
}

/// One's own password, by the old one. One's other sessions end.
pub fn change_password(c: &mut Conn, me: &Me, old: &str, new: &str, token: &str) -> Result<(), Fault> {
    let p = find(c, &me.name)?.ok_or(Fault::SignedOut)?;
    if !fits(old, &p.password) {
        return Err(Fault::Bad("The old password is another one; nothing was changed".into()));
    }
    put_password(c, &p, new, Some(token))?;
    audit::note(c, me, "people", "took a new password", "")
}

/// A new person.
pub fn add(c: &mut Conn, shop: i64, name: &str, password: &str, owner: bool) -> Result<i64, Fault> {
    let name = normal(name);
    if name.is_empty() || name.chars().count() > 80 {
        return Err(Fault::Bad("A name has between 1 and 80 characters".into()));
    }
    if name.chars().any(is_unseen) {
        return Err(Fault::Bad("The name holds a character that is not seen; type it anew".into()));
    }
    let all: Vec<(String, bool)> = people::table.select((people::name, people::active)).load(c)?;
    if let Some((like, active)) = all.iter().find(|p| looks(&p.0) == looks(&name)) {
        let there = if *active { "There is already somebody" } else { "There was already somebody" };
        return Err(Fault::Bad(format!("{there} called {like}; choose a name that cannot be taken for that one")));
    }
    good_password(password, &name)?;
    diesel::insert_into(people::table)
        .values((
            people::shop_id.eq(shop),
            people::name.eq(&name),
            people::password.eq(hash(password)?),
            people::owner.eq(owner),
        ))
        .execute(c)?;
    last_id(c)
}

/// Somebody of one's own shop, locked with all its owners: one of them always stays.
fn of_shop(c: &mut Conn, me: &Me, name: &str) -> Result<(Person, usize), Fault> {
    if !me.owner {
        return Err(Fault::OwnerOnly);
    }
    let all: Vec<Person> = people::table
        .filter(people::shop_id.eq(me.shop_id).and(people::active.eq(true)))
        .select(Person::as_select())
        .for_update()
        .load(c)?;
    let owners = all.iter().filter(|p| p.owner).count();
    let name = normal(name);
    let p = all.into_iter().find(|p| p.name == name).ok_or(Fault::NoSuch("person"))?;
    Ok((p, owners))
}

/// Make somebody an owner, or a member again.
pub fn set_owner(c: &mut Conn, me: &Me, name: &str, owner: bool) -> Result<(), Fault> {
    let (p, owners) = of_shop(c, me, name)?;
    if p.owner && !owner && owners == 1 {
        return Err(Fault::Bad("A shop has at least one owner; make somebody else an owner first".into()));
    }
    diesel::update(people::table.find(p.id)).set(people::owner.eq(owner)).execute(c)?;
    let words = format!("{} is {} now", p.name, if owner { "an owner" } else { "a member" });
    audit::note(c, me, "people", &words, "")
}

/// Somebody leaves: the sessions end at once, and what was decided stays under the name.
pub fn put_out(c: &mut Conn, me: &Me, name: &str) -> Result<(), Fault> {
    let (p, owners) = of_shop(c, me, name)?;
    if p.owner && owners == 1 {
        return Err(Fault::Bad("A shop has at least one owner; make somebody else an owner first".into()));
    }
    diesel::update(people::table.find(p.id)).set(people::active.eq(false)).execute(c)?;
    diesel::delete(sessions::table.filter(sessions::person_id.eq(p.id))).execute(c)?;
    watch::person_changed(c, p.id)?;
    audit::note(c, me, "people", &format!("{} may no longer sign in", p.name), "")
}

/// Does anybody still use this password? (The demo's must not be open to a network.)
pub fn anybody_uses(c: &mut Conn, password: &str) -> Result<Option<String>, Fault> {
    let all: Vec<(String, String)> =
        people::table.filter(people::active.eq(true)).select((people::name, people::password)).load(c)?;
    Ok(all.into_iter().find(|(_, h)| fits(password, h)).map(|p| p.0))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hash_is_argon2id_and_fits_its_password_only() {
        let h = hash("correct horse").unwrap();
        assert!(h.starts_with("$argon2id$"), "{h}");
        assert!(fits("correct horse", &h) && !fits("correct horse ", &h) && !fits("x", "no hash"));
    }

    #[test]
    fn weak_passwords_are_refused() {
        for weak in ["password123", "1234567890", "qwertyuiop", "ida-ida-ida", "goldchip2026", "short"] {
            assert!(good_password(weak, "ida").is_err(), "{weak}");
        }
        for good in ["dome-and-slit", "another-password", "long enough to be one", "Zr7!kk02-pL"] {
            assert!(good_password(good, "ida").is_ok(), "{good}");
        }
    }

    #[test]
    fn names_that_look_alike_are_one() {
        for (a, b) in [("ida", "IDA"), ("ida", "id\u{430}"), ("paul", "pau1"), ("o1af", "olaf"), ("anna", "an na")] {
            assert_eq!(looks(a), looks(b), "{a} {b}");
        }
        assert_ne!(looks("ida"), looks("bruno"));
        assert_eq!(normal(" \u{ff49}da "), "ida");
        assert!("i\u{200b}da".chars().any(is_unseen) && !"Jörg Müller".chars().any(is_unseen));
    }
}
