//! The server's log: one line a request, and every fault of ours under the number that the screen was shown. No names, no queries, no bodies.

use std::cell::RefCell;
use std::path::Path;
use tracing_appender::rolling::{RollingFileAppender, Rotation};

/// Days of the log that are kept.
const DAYS: usize = 14;

/// What is known of the request that is being answered.
#[derive(Debug, Clone, Default)]
pub struct Note {
    /// Number of the request, eight hexadecimal digits.
    pub id: String,
    /// Who is signed in.
    pub person: Option<i64>,
}

tokio::task_local! {
    /// The request of the task that runs.
    pub static REQUEST: RefCell<Note>;
}

/// Begin: into a folder (a file a day, two weeks of them) where `GOLDCHIP_LOG` names one, else to the standard error.
pub fn begin() -> Result<(), String> {
    let form = tracing_subscriber::fmt().with_ansi(false).with_target(false);
    match std::env::var_os("GOLDCHIP_LOG").filter(|d| !d.is_empty()) {
        Some(dir) => {
            let files = RollingFileAppender::builder()
                .rotation(Rotation::DAILY)
                .filename_prefix("goldchip")
                .filename_suffix("log")
                .max_log_files(DAYS)
                .build(Path::new(&dir))
                .map_err(|e| format!("GOLDCHIP_LOG: {e}; name a folder that can be written"))?;
            form.with_writer(files).init();
        }
        None => form.with_writer(std::io::stderr).init(),
    }
    Ok(())
}

/// The request that is being answered has this person.
pub fn person(id: i64) {
    let _ = REQUEST.try_with(|n| n.borrow_mut().person = Some(id));
}

/// A fault of ours is written down; the number under which it stands, where a request met it.
pub fn fault(why: &str) -> Option<String> {
    let id = REQUEST.try_with(|n| n.borrow().id.clone()).ok().filter(|i| !i.is_empty());
    tracing::error!(id = id.as_deref().unwrap_or("-"), "{why}");
    id
}
