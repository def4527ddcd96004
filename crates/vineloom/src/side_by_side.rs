//! Work for many documents at once.

use crate::STACK;
use std::sync::Mutex;

/// Does a piece of work for each item, as many at once as `jobs` says; what comes of each, in their order.
pub fn side_by_side<T: Send, R: Send>(jobs: usize, items: Vec<T>, work: impl Fn(T) -> R + Sync) -> Vec<R> {
    if jobs == 1 {
        return items.into_iter().map(work).collect();
    }
    let left = Mutex::new(items.into_iter().enumerate());
    let done = Mutex::new(Vec::new());
    let lock = |_| ();
    let all = || {
        loop {
            let next = left.lock().map_err(lock).ok().and_then(|mut left| left.next());
            let Some((at, item)) = next else { return };
            let came = work(item);
            if let Ok(mut done) = done.lock() {
                done.push((at, came));
            }
        }
    };
    std::thread::scope(|scope| {
        // Where no thread can be started, the others do its work; without any, this one does all.
        let started: Vec<_> = (0..jobs)
            .filter_map(|_| std::thread::Builder::new().stack_size(STACK).spawn_scoped(scope, all).ok())
            .collect();
        if started.is_empty() {
            all();
        }
    });
    let mut done = done.into_inner().unwrap_or_default();
    done.sort_by_key(|(at, _)| *at);
    done.into_iter().map(|(_, came)| came).collect()
}
