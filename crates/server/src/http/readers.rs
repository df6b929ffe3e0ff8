//! How much is worked out at once for those who wait: of reading models two in all and one for each person, so that a heap of uploads by one delays
//! another's first by one at most; of looking at parts some more.

use crate::fault::Fault;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Models at once, in all.
const ALL: usize = 2;
/// Looks at once, in all and of one person: a screen asks for several things.
const LOOKS: [usize; 2] = [4, 3];
/// Longest that one waits for one's turn.
const WAIT: Duration = Duration::from_secs(20);
/// Then one is asked to come again after, s.
const AGAIN_S: u32 = 5;

/// Who reads.
pub struct Readers {
    all: Arc<Semaphore>,
    each: Mutex<HashMap<i64, Arc<Semaphore>>>,
    own: usize,
    wait: Duration,
}

/// A turn; it ends when it is let go.
pub struct Turn {
    _own: OwnedSemaphorePermit,
    _all: OwnedSemaphorePermit,
}

impl Default for Readers {
    fn default() -> Self {
        Readers { all: Arc::new(Semaphore::new(ALL)), each: Mutex::default(), own: 1, wait: WAIT }
    }
}

/// One of several who want the same at once makes it; the others wait.
#[derive(Default)]
pub struct Flights(Mutex<HashMap<String, Arc<tokio::sync::Mutex<()>>>>);

impl Flights {
    /// The lock of a key.
    pub fn of(&self, key: &str) -> Arc<tokio::sync::Mutex<()>> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|_, m| Arc::strong_count(m) > 1);
        all.entry(key.into()).or_default().clone()
    }
}

impl Readers {
    /// For looking at parts.
    pub fn looks() -> Readers {
        Readers { all: Arc::new(Semaphore::new(LOOKS[0])), own: LOOKS[1], ..Readers::default() }
    }
    /// Wait for one's turn.
    pub async fn turn(&self, person: i64) -> Result<Turn, Fault> {
        let own = {
            let mut each = self.each.lock().unwrap_or_else(PoisonError::into_inner);
            each.retain(|_, s| Arc::strong_count(s) > 1 || s.available_permits() < self.own);
            each.entry(person).or_insert_with(|| Arc::new(Semaphore::new(self.own))).clone()
        };
        let all = self.all.clone();
        let both = async {
            let own = own.acquire_owned().await.map_err(|e| Fault::internal(e.to_string()))?;
            let all = all.acquire_owned().await.map_err(|e| Fault::internal(e.to_string()))?;
            Ok(Turn { _own: own, _all: all })
        };
        tokio::time::timeout(self.wait, both).await.unwrap_or(Err(Fault::Busy(AGAIN_S)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[tokio::test]
    async fn one_persons_heap_does_not_hold_up_another() {
        let readers = Arc::new(Readers::default());
        let (done, at_once, most) =
            (Arc::new(AtomicUsize::new(0)), Arc::new(AtomicUsize::new(0)), Arc::new(AtomicUsize::new(0)));
        let read = |who: i64| {
            let (readers, done, at_once, most) = (readers.clone(), done.clone(), at_once.clone(), most.clone());
            async move {
                let turn = readers.turn(who).await.unwrap();
                most.fetch_max(at_once.fetch_add(1, Ordering::Relaxed) + 1, Ordering::Relaxed);
                tokio::time::sleep(Duration::from_millis(20)).await;
                at_once.fetch_sub(1, Ordering::Relaxed);
                drop(turn);
                done.fetch_add(1, Ordering::Relaxed) + 1
            }
        };
        let heap: Vec<_> = (0..50).map(|_| tokio::spawn(read(1))).collect();
        tokio::time::sleep(Duration::from_millis(5)).await;
        let second = tokio::spawn(read(2));
        assert!(second.await.unwrap() <= 2, "the other's first is done after one at most");
        for h in heap {
            h.await.unwrap();
        }
        assert_eq!(most.load(Ordering::Relaxed), ALL);
        assert!(readers.each.lock().unwrap().len() <= 2);
    }

    #[tokio::test]
    async fn whoever_waits_too_long_is_asked_to_come_again() {
        let readers = Readers { wait: Duration::from_millis(20), ..Readers::default() };
        let first = readers.turn(1).await.unwrap();
        assert!(matches!(readers.turn(1).await, Err(Fault::Busy(_))));
        drop(first);
        assert!(readers.turn(1).await.is_ok());
    }
}
