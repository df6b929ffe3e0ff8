//! Limits that let no missing number pass. `f64::max` and `f64::min` drop a NaN in silence: once a step of ∞ − ∞ became a twentieth of the
//! radius that way, and nobody saw it. In the crates that reckon steps and cuts clippy refuses those two (`clippy.toml` beside their
//! manifests); these keep the NaN, so that it is seen.

/// Limits of a number.
pub trait Sure {
    /// The number, but no less than `floor`; NaN if either is.
    #[must_use]
    fn at_least(self, floor: f64) -> f64;
    /// The number, but no more than `cap`; NaN if either is.
    #[must_use]
    fn at_most(self, cap: f64) -> f64;
}

impl Sure for f64 {
    #[inline]
    fn at_least(self, floor: f64) -> f64 {
        if self.is_nan() || floor.is_nan() {
            f64::NAN
        } else if self < floor {
            floor
        } else {
            self
        }
    }
    #[inline]
    fn at_most(self, cap: f64) -> f64 {
        if self.is_nan() || cap.is_nan() {
            f64::NAN
        } else if self > cap {
            cap
        } else {
            self
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_missing_number_is_not_replaced_by_a_limit() {
        assert_eq!((3.0.at_least(5.0), 7.0.at_least(5.0), 3.0.at_most(5.0), 7.0.at_most(5.0)), (5.0, 7.0, 3.0, 5.0));
        let step = f64::INFINITY - f64::INFINITY;
        assert!(step.at_least(0.3).is_nan() && 0.3.at_most(step).is_nan());
        // What the standard's own does.
        assert_eq!(step.max(0.3), 0.3);
    }
}
