//! What was added to browsers: read from what they note, whatever that says.

use jolly_core::CancelToken;
use jolly_core::survey::{Extension, Origin, extensions};

use crate::support::{Bench, DAY};

const CHROMIUM: &str = "home/ada/.config/heron/Default";
const GECKO: &str = "home/ada/.config/bramble/profiles/x1.ada";
const ID: &str = "abcdefghijklmnopabcdefghijklmnop";

fn bench() -> Bench {
    let bench = Bench::new();
    let text = |path: String, text: &str| bench.tree.text(path, text, DAY).unwrap();
    text("home/ada/.config/heron/Local State".to_owned(), "{}");
    text(format!("{CHROMIUM}/History"), "");
    text(format!("{CHROMIUM}/Preferences"), "{}");
    for name in [
        "prefs.js",
        "times.json",
        "compatibility.ini",
        "places.sqlite",
    ] {
        text(format!("{GECKO}/{name}"), "");
    }
    bench
}

fn read(bench: &Bench) -> (Vec<Extension>, Vec<String>) {
    let (found, unread) = extensions(&bench.target(), &CancelToken::default());
    (found, unread.into_iter().map(|(_, why)| why).collect())
}

#[test]
fn each_of_the_demo_says_what_it_may_do_and_where_it_came_from() {
    let (found, unread) = read(&Bench::demo());
    assert!(unread.is_empty(), "{unread:?}");
    let told: Vec<_> = found
        .iter()
        .map(|one| {
            (
                &*one.name,
                &*one.version,
                one.is_on,
                one.origin,
                one.may.len(),
            )
        })
        .collect();
    assert_eq!(
        told,
        [
            ("Coupon Gull", "0.9", true, Origin::SideLoaded, 2),
            ("Quiet Harbour filter", "2.4.0", true, Origin::Store, 2),
            ("Rope Notes", "1.1", false, Origin::Store, 1),
        ]
    );
    assert!(found.iter().all(|one| one.program + one.storage > 0));
}

#[test]
fn whatever_a_profile_says_of_them_nothing_outside_it_is_read() {
    let outside = |bench: &Bench| {
        std::fs::create_dir_all(bench.outside()).unwrap();
        std::fs::write(
            bench.outside().join("manifest.json"),
            r#"{"name":"Outside"}"#,
        )
        .unwrap();
        bench.outside()
    };
    // Settings that are none are told, and those that lead elsewhere lead nowhere.
    for (settings, told) in [
        ("{\"extensions\":", 1),
        ("[]", 0),
        (r#"{"extensions":{"settings":[1]}}"#, 0),
        (
            r#"{"extensions":{"settings":{"../../..":{"location":1,"path":"x"}}}}"#,
            0,
        ),
    ] {
        let bench = bench();
        let path = format!("{CHROMIUM}/Preferences");
        bench.tree.text(path, settings, DAY).unwrap();
        let (found, unread) = read(&bench);
        assert_eq!((found.len(), unread.len()), (0, told), "{settings}");
    }
    let bench = bench();
    let out = outside(&bench);
    let settings = format!(
        r#"{{"extensions":{{"settings":{{
        "{ID}":{{"location":4,"path":"/../outside"}},
        "b{}":{{"location":4,"path":"/link"}},
        "c{}":{{"location":4,"path":"C:\\..\\outside"}},
        "d{}":{{"location":5,"path":"/part"}}}}}}}}"#,
        &ID[1..],
        &ID[1..],
        &ID[1..]
    );
    bench
        .tree
        .text(format!("{CHROMIUM}/Preferences"), &settings, DAY)
        .unwrap();
    bench.tree.link("link", &out, DAY).unwrap();
    let list = r#"{"addons":[{"id":"../../../outside","type":"extension","defaultLocale":{"name":7}},{"id":3},"x",
        {"id":"a@b.example","type":"extension","version":{},"updateDate":9223372036854775807,"userPermissions":{"origins":[null]}}]}"#;
    bench
        .tree
        .text(format!("{GECKO}/extensions.json"), list, DAY)
        .unwrap();
    let (found, unread) = read(&bench);
    assert!(unread.is_empty(), "{unread:?}");
    let names: Vec<&str> = found.iter().map(|one| &*one.name).collect();
    let (b, c) = (format!("b{}", &ID[1..]), format!("c{}", &ID[1..]));
    assert_eq!(names, [ID, &*b, &*c, "../../../outside", "a@b.example"]);
    assert!(
        found
            .iter()
            .all(|one| one.program == 0 && one.changed.is_none())
    );
    // What has a link in place of its settings is no profile.
    let preferences = bench.root().join(CHROMIUM).join("Preferences");
    std::fs::rename(&preferences, bench.root().join("old")).unwrap();
    std::os::unix::fs::symlink(bench.root().join("old"), &preferences).unwrap();
    let (found, unread) = read(&bench);
    assert_eq!((found.len(), unread.len()), (2, 0));
}
