//! A control's dialect, as data.

use serde::{Deserialize, Serialize};

/// What a post must know of a control.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Dialect {
    /// Its name.
    pub name: String,
    /// Programs in inch (G20) instead of mm (G21).
    pub inch: bool,
    /// Digits after the point of coordinates.
    pub decimals: usize,
    /// Digits after the point of feeds.
    pub feed_decimals: usize,
    /// First and last line of the file, such as `%`.
    pub tape_mark: Option<String>,
    /// Words that put the control into a known state.
    pub safe_start: Vec<String>,
    /// Last words.
    pub end: String,
    /// Longest comment; longer ones go on in a further one.
    pub comment_length: usize,
    /// File name ending.
    pub extension: String,
}

impl Dialect {
    /// The bench mill's control of the demo shop: RS-274 with the modal state set in the open.
    pub fn bench_mill() -> Dialect {
        Dialect {
            name: "RS-274 bench mill".into(),
            inch: false,
            decimals: 4,
            feed_decimals: 1,
            tape_mark: Some("%".into()),
            safe_start: vec!["G17 G21 G90 G94".into(), "G40 G49 G80 G54".into()],
            end: "M30".into(),
            comment_length: 72,
            extension: "ngc".into(),
        }
    }
    /// The same control in inch.
    pub fn bench_mill_inch() -> Dialect {
        Dialect {
            inch: true,
            decimals: 5,
            feed_decimals: 2,
            safe_start: vec!["G17 G20 G90 G94".into(), "G40 G49 G80 G54".into()],
            ..Self::bench_mill()
        }
    }
}
