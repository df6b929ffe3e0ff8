//! Signing in: how long one must wait after wrong passwords, and how a browser that is known keeps its way in.
//!
//! A guess is counted before it is checked, so that guesses at the same time count one another. It counts by name *and* client: whoever guesses
//! at a name holds up himself. By client alone the limit is that of a whole shop behind one address, and by name alone it only slows strangers.
//! A browser in which the person has signed in before has a count of its own.

use crate::db::schema::{known_browsers, sign_in_failures};
use crate::db::{Conn, now};
use crate::fault::Fault;
use crate::people::{find, sha};
use chrono::{Duration, NaiveDateTime};
use diesel::prelude::*;

/// Failures count for this long.
const MEMORY_H: i64 = 24;
/// A known browser is one for this long after the last sign-in.
const KNOWN_DAYS: i64 = 180;

/// Somebody who wants to come in.
#[derive(Debug, Clone)]
pub struct Attempt {
    /// Name as typed.
    pub name: String,
    /// Address of the client.
    pub client: String,
    /// Token of the browser, if it has one.
    pub browser: Option<String>,
}

/// A count: its name, how many failures are free, and the longest wait, s.
struct Bucket(String, usize, i64);

/// Seconds to wait after so many failures: none for the first, then doubling.
fn delay(failures: usize, free: usize, most: i64) -> i64 {
    if failures < free { 0 } else { (1_i64 << (failures - free + 1).min(20)).min(most) }
}

impl Attempt {
    fn buckets(&self, c: &mut Conn) -> Result<Vec<Bucket>, Fault> {
        let name = crate::people::normal(&self.name).to_lowercase();
        let short = |s: String| s.chars().take(120).collect::<String>();
        if let (Some(b), Some(p)) = (&self.browser, find(c, &self.name)?) {
            let since = now() - Duration::days(KNOWN_DAYS);
            let key = sha(b);
            let known: i64 =
                known_browsers::table.find((&key, p.id)).filter(known_browsers::at.gt(since)).count().get_result(c)?;
            if known > 0 {
                return Ok(vec![Bucket(short(format!("browser:{key}/{}", p.id)), 5, 300)]);
            }
        }
        Ok(vec![
            Bucket(short(format!("both:{}/{name}", self.client)), 5, 900),
            Bucket(short(format!("from:{}", self.client)), 40, 60),
            Bucket(short(format!("name:{name}")), 60, 30),
        ])
    }

    /// Count the attempt. Call [`Attempt::may`] in a later transaction.
    pub fn count(&self, c: &mut Conn) -> Result<NaiveDateTime, Fault> {
        let at = now();
        let rows: Vec<_> = self
            .buckets(c)?
            .into_iter()
            .map(|b| (sign_in_failures::bucket.eq(b.0), sign_in_failures::at.eq(at)))
            .collect();
        diesel::insert_into(sign_in_failures::table).values(rows).execute(c)?;
        let old = at - Duration::hours(MEMORY_H);
        diesel::delete(sign_in_failures::table.filter(sign_in_failures::at.lt(old))).execute(c)?;
        Ok(at)
    }

    /// May its password be looked at? If not it is no longer counted, and one has to wait.
    pub fn may(&self, c: &mut Conn, counted: NaiveDateTime) -> Result<(), Fault> {
        let since = now() - Duration::hours(MEMORY_H);
        for Bucket(bucket, free, most) in self.buckets(c)? {
            let failed: Vec<NaiveDateTime> = sign_in_failures::table
                .filter(sign_in_failures::bucket.eq(&bucket).and(sign_in_failures::at.gt(since)))
                .order(sign_in_failures::at.desc())
                .limit(200)
                .select(sign_in_failures::at)
                .load(c)?;
            // All but this one; those at the same time count.
            let others = failed.len().saturating_sub(1);
            let last = failed.iter().find(|t| **t < counted).copied();
            let wait = delay(others, free, most);
            let left = last.map_or(0, |t| wait - (now() - t).num_seconds());
            if wait > 0 && left > 0 {
                self.forget(c, counted)?;
                return Err(Fault::Wait(left as u32));
            }
        }
        Ok(())
    }

    fn forget(&self, c: &mut Conn, counted: NaiveDateTime) -> Result<(), Fault> {
        for Bucket(bucket, ..) in self.buckets(c)? {
            let own = sign_in_failures::bucket.eq(bucket).and(sign_in_failures::at.eq(counted));
            diesel::delete(sign_in_failures::table.filter(own)).execute(c)?;
        }
        Ok(())
    }

    /// The password was right: this attempt does not count, nor do this client's earlier ones under the name. The browser is known from now on.
    pub fn succeeded(&self, c: &mut Conn, counted: NaiveDateTime, person: i64, browser: &str) -> Result<(), Fault> {
        self.forget(c, counted)?;
        if let Some(Bucket(own, ..)) = self.buckets(c)?.into_iter().next() {
            diesel::delete(sign_in_failures::table.filter(sign_in_failures::bucket.eq(own))).execute(c)?;
        }
        let row = (
            known_browsers::token_sha.eq(sha(browser)),
            known_browsers::person_id.eq(person),
            known_browsers::at.eq(now()),
        );
        diesel::replace_into(known_browsers::table).values(row).execute(c)?;
        let old = now() - Duration::days(KNOWN_DAYS);
        diesel::delete(known_browsers::table.filter(known_browsers::at.lt(old))).execute(c)?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_wait_grows_and_has_an_end() {
        let waits: Vec<i64> = (0..18).map(|n| delay(n, 5, 900)).collect();
        assert_eq!(waits[..9], [0, 0, 0, 0, 0, 2, 4, 8, 16]);
        assert!(waits.windows(2).all(|w| w[0] <= w[1]) && waits[17] == 900);
        assert_eq!(delay(10_000, 5, 900), 900);
    }
}
