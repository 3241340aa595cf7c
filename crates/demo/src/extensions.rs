//! What somebody has added to the browsers of the demo computer: two from a store, and one that came with a download.

use crate::DemoError;
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;

/// Microseconds since 1601, as the Chromium family writes times.
fn since_1601(seconds: i64) -> i64 {
    (seconds + 11_644_473_600) * 1_000_000
}

/// Settings of a profile of the Chromium family that name its extensions, with what lies in their folders.
pub(crate) fn chromium_extensions(tree: &TreeBuilder, profile: &str) -> Result<(), DemoError> {
    let (filter, coupons) = (
        "fbjmdkhoclgpainefbjmdkhoclgpaine",
        "acegikmobdfhjlnpacegikmobdfhjlnp",
    );
    let folder = format!("{profile}/Extensions/{filter}/2.4.0_0");
    let manifest = r#"{"manifest_version":3,"name":"__MSG_name__","default_locale":"en","version":"2.4.0",
        "permissions":["storage","declarativeNetRequest"],"host_permissions":["<all_urls>"]}"#;
    tree.text(format!("{folder}/manifest.json"), manifest, 40 * DAY)?;
    let messages = r#"{"name":{"message":"Quiet Harbour filter"}}"#;
    let locale = format!("{folder}/_locales/en/messages.json");
    tree.text(locale, messages, 40 * DAY)?;
    tree.file(format!("{folder}/lists.bin"), 1800 * KIB, 40 * DAY)?;
    let kept = format!("{profile}/Local Extension Settings/{coupons}/000003.log");
    tree.file(kept, 320 * KIB, 2 * DAY)?;
    let (updated, loaded) = (
        since_1601(tree.now() - 40 * DAY),
        since_1601(tree.now() - 9 * DAY),
    );
    let settings = format!(
        r#"{{"profile":{{"exit_type":"Normal"}},"extensions":{{"settings":{{
        "{filter}":{{"location":1,"from_webstore":true,"disable_reasons":[],"path":"{filter}/2.4.0_0","last_update_time":"{updated}"}},
        "{coupons}":{{"location":4,"disable_reasons":[],"path":"/home/pia/Downloads/coupon-gull","last_update_time":"{loaded}",
        "active_permissions":{{"api":["cookies","history","tabs"],"explicit_host":["<all_urls>"]}}}}}}}}}}"#
    );
    let manifest = r#"{"manifest_version":3,"name":"Coupon Gull","version":"0.9"}"#;
    tree.text(
        "home/pia/Downloads/coupon-gull/manifest.json",
        manifest,
        9 * DAY,
    )?;
    tree.text(format!("{profile}/Preferences"), settings, DAY)
        .map(drop)
}

/// The list of extensions of a profile of the Gecko family: one, which is off.
pub(crate) fn gecko_extensions(tree: &TreeBuilder, profile: &str) -> Result<(), DemoError> {
    let id = "rope-notes@knots-and-ropes.example";
    let updated = (tree.now() - 500 * DAY) * 1000;
    let list = format!(
        r#"{{"schemaVersion":37,"addons":[{{"id":"{id}","version":"1.1","type":"extension","active":false,"userDisabled":true,
        "defaultLocale":{{"name":"Rope Notes"}},"location":"app-profile","installTelemetryInfo":{{"source":"about:addons"}},
        "updateDate":{updated},"userPermissions":{{"permissions":["bookmarks","storage"],"origins":["https://*.knots-and-ropes.example/*"]}}}}]}}"#
    );
    tree.text(format!("{profile}/extensions.json"), list, 20 * DAY)?;
    let program = format!("{profile}/extensions/{id}.xpi");
    tree.file(program, 260 * KIB, 500 * DAY).map(drop)
}
