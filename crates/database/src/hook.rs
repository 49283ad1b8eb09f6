//! A place for tests to stop the process between two statements.

/// Called at every statement boundary of a run.
///
/// In a debug build, where `OAK_TEST_PAUSE_AT` holds the ordinal of a boundary, the process writes the file named by
/// `OAK_TEST_PAUSE_FILE` there and waits to be killed. A release build has no such thing.
pub fn boundary() {
    #[cfg(debug_assertions)]
    pause();
}

#[cfg(debug_assertions)]
fn pause() {
    use std::sync::atomic::{AtomicUsize, Ordering};
    static PASSED: AtomicUsize = AtomicUsize::new(0);
    let Some(wanted) = std::env::var("OAK_TEST_PAUSE_AT").ok().and_then(|text| text.parse::<usize>().ok()) else {
        return;
    };
    if PASSED.fetch_add(1, Ordering::Relaxed) + 1 == wanted {
        if let Ok(file) = std::env::var("OAK_TEST_PAUSE_FILE") {
            // The test notices a missing file by itself.
            let _ = std::fs::write(file, b"paused");
        }
        std::thread::sleep(std::time::Duration::from_secs(60));
    }
}
