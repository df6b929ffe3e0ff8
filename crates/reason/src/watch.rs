//! Long work that can be watched and stopped. A stage gets a [`Watch`], says how far it is, and looks whether it should stop; a
//! stage that was stopped gives a partial result, which the caller throws away.

use std::sync::atomic::{AtomicBool, Ordering};

/// Token to stop with, and who hears of progress.
pub struct Watch<'a> {
    stop: &'a AtomicBool,
    heard: &'a (dyn Fn(f64) + Sync),
}

static NEVER: AtomicBool = AtomicBool::new(false);

impl Watch<'static> {
    /// Nobody watches, nobody stops.
    pub fn nobody() -> Watch<'static> {
        Watch { stop: &NEVER, heard: &|_| {} }
    }
}

impl<'a> Watch<'a> {
    /// `heard` is told the share done of the stage at hand, 0 to 1.
    pub fn new(stop: &'a AtomicBool, heard: &'a (dyn Fn(f64) + Sync)) -> Watch<'a> {
        Watch { stop, heard }
    }
    /// Say how far the stage is; true when it should go on.
    pub fn on(&self, share: f64) -> bool {
        (self.heard)(share);
        !self.stopped()
    }
    /// Should the work stop?
    pub fn stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::Mutex;

    #[test]
    fn it_tells_and_stops() {
        let (stop, said) = (AtomicBool::new(false), Mutex::new(Vec::new()));
        let heard = |s: f64| said.lock().unwrap().push(s);
        let w = Watch::new(&stop, &heard);
        assert!(w.on(0.5));
        stop.store(true, Ordering::Relaxed);
        assert!(!w.on(0.6) && w.stopped());
        assert_eq!(*said.lock().unwrap(), [0.5, 0.6]);
        assert!(Watch::nobody().on(1.0));
    }
}
