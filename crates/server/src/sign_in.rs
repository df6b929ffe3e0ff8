//! Signing in: how long one must wait after wrong passwords, and how a browser that is known keeps its way in.
//!
//! A guess is counted before it is checked, so that guesses at the same time count one another. It counts by name *and* client: whoever guesses
//! at a name holds up himself. By client alone the limit is that of a whole shop behind one address, and by name alone it only slows strangers.
//! A browser in which the person has signed in before has a count of its own.

use crate::db::schema::{known_browsers, sign_in_failures};
use crate::db::{Conn, last_id, now};
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

    /// Count the attempt: the numbers under which it is. Call [`Attempt::wait`] in a later transaction.
    pub fn count(&self, c: &mut Conn) -> Result<Vec<i64>, Fault> {
        let mut counted = Vec::new();
        for Bucket(bucket, ..) in self.buckets(c)? {
            let row = (sign_in_failures::bucket.eq(bucket), sign_in_failures::at.eq(now()));
            diesel::insert_into(sign_in_failures::table).values(row).execute(c)?;
            counted.push(last_id(c)?);
        }
        let old = now() - Duration::hours(MEMORY_H);
        diesel::delete(sign_in_failures::table.filter(sign_in_failures::at.lt(old))).execute(c)?;
        Ok(counted)
    }

    /// Seconds to wait before its password is looked at, if any; then it is no longer counted. (No refusal: that would take the forgetting back.)
    pub fn wait(&self, c: &mut Conn, counted: &[i64]) -> Result<Option<u32>, Fault> {
        let since = now() - Duration::hours(MEMORY_H);
        for Bucket(bucket, free, most) in self.buckets(c)? {
            let rows: Vec<(i64, NaiveDateTime)> = sign_in_failures::table
                .filter(sign_in_failures::bucket.eq(&bucket).and(sign_in_failures::at.gt(since)))
                .order(sign_in_failures::id.desc())
                .limit(200)
                .select((sign_in_failures::id, sign_in_failures::at))
                .load(c)?;
            // Those at the same time count, whichever came first.
            let others = rows.iter().filter(|r| !counted.contains(&r.0)).count();
            let earlier = rows.iter().find(|r| counted.iter().all(|own| r.0 < *own));
            let wait = delay(others, free, most);
            let left = earlier.map_or(0, |r| wait * 1000 - (now() - r.1).num_milliseconds());
            if left > 0 {
                forget(c, counted)?;
                return Ok(Some((left as u32).div_ceil(1000)));
            }
        }
        Ok(None)
    }

    /// The password was right: this attempt does not count, nor do this client's earlier ones under the name. The browser is known from now on.
    pub fn succeeded(&self, c: &mut Conn, counted: &[i64], person: i64, browser: &str) -> Result<(), Fault> {
        forget(c, counted)?;
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

/// An attempt counts no longer.
fn forget(c: &mut Conn, counted: &[i64]) -> Result<(), Fault> {
    diesel::delete(sign_in_failures::table.filter(sign_in_failures::id.eq_any(counted))).execute(c)?;
    Ok(())
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
