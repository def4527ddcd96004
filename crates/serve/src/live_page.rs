//! What is added to a page so that it is live.

use crate::answer::escaped;

/// The script of the live page.
pub(crate) const SCRIPT: &str = include_str!("live.js");
/// Its style sheet.
pub(crate) const STYLE: &str = include_str!("live.css");

/// What begins the policy of a page that says which scripts it runs.
const POLICY: &str = "<meta http-equiv=\"Content-Security-Policy\" content=\"";

/// A page with the live part. `root` is where the script and the style sheet are served, `version` that of the page.
pub(crate) fn live(page: &[u8], root: &str, version: u64) -> Vec<u8> {
    let page = String::from_utf8_lossy(page);
    let part = format!(
        "<link rel=\"stylesheet\" href=\"{root}/live.css\" data-live-part>\n\
         <script src=\"{root}/live.js\" data-live-part data-version=\"{version}\" defer></script>\n"
    );
    let page = with_leave(&page);
    let (before, after) = page.split_at(page.rfind("</body>").unwrap_or(page.len()));
    format!("{before}{part}{after}").into_bytes()
}

/// A page that shows a file as browsers show it.
pub fn page_around(title: &str, name: &str) -> String {
    format!(
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{0}</title></head>\n\
         <body style=\"margin: 0\"><iframe src=\"{1}\" title=\"{0}\" style=\"position: fixed; inset: 0; width: 100%; height: 100%; border: 0\"></iframe>\n\
         </body></html>\n",
        escaped(title),
        escaped(name)
    )
}

/// A page whose own policy lets what is served here run, too.
fn with_leave(page: &str) -> String {
    let Some(start) = page.find(POLICY) else { return page.to_string() };
    let (before, policy) = page.split_at(start + POLICY.len());
    let (policy, after) = policy.split_at(policy.find('"').unwrap_or(policy.len()));
    let policy = policy
        .replacen("default-src 'none'", "default-src 'none'; connect-src 'self'", 1)
        .replacen("script-src ", "script-src 'self' ", 1)
        .replacen("style-src ", "style-src 'self' ", 1);
    format!("{before}{policy}{after}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_page_keeps_its_policy_and_lets_the_live_part_in() {
        let page = format!(
            "<head>{POLICY}default-src 'none'; style-src 'unsafe-inline'; script-src 'sha256-x'\"></head><body>A</body>"
        );
        let live = String::from_utf8_lossy(&live(page.as_bytes(), "/t", 3)).into_owned();
        assert!(live.contains(
            "default-src 'none'; connect-src 'self'; style-src 'self' 'unsafe-inline'; script-src 'self' 'sha256-x'"
        ));
        assert!(live.contains("<script src=\"/t/live.js\" data-live-part data-version=\"3\" defer></script>\n</body>"));
    }
}
