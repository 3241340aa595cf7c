//! Tables of the Gecko family.

use crate::format::known_tables::{Becomes, Child, Fading, KnownTable, Parent, Pointer, Step};

/// The parts of addresses that pages share.
const ORIGINS: Parent<'static> = Parent {
    table: "moz_origins",
    via: "origin_id",
    unique: &["prefix", "host"],
    counted: &[],
    recount: &[Step {
        needs: &[
            "moz_origins.recalc_frecency",
            "moz_origins.recalc_alt_frecency",
        ],
        sql: "UPDATE moz_origins SET recalc_frecency = 1, recalc_alt_frecency = 1 WHERE id IN (SELECT id FROM touched)",
    }],
    count_back: &[],
    goes_when: "NOT EXISTS (SELECT 1 FROM moz_places p WHERE p.origin_id = moz_origins.id)",
    fading: &[],
    children: &[],
    parents: &[],
    pointers: &[],
};

/// What was searched for on the way to a page.
const QUERIES: Parent<'static> = Parent {
    table: "moz_places_metadata_search_queries",
    via: "search_query_id",
    unique: &["terms"],
    counted: &[],
    recount: &[],
    count_back: &[],
    goes_when: "NOT EXISTS (SELECT 1 FROM moz_places_metadata m WHERE m.search_query_id = moz_places_metadata_search_queries.id)",
    fading: &[],
    children: &[],
    parents: &[],
    pointers: &[],
};

/// Types of visits that a page doesn't count: embedded, downloads, frames, reloads.
const COUNT: &str = "UPDATE moz_places SET \
    visit_count = (SELECT count(*) FROM moz_historyvisits v WHERE v.place_id = moz_places.id AND v.visit_type NOT IN (0,4,7,8,9)), \
    last_visit_date = (SELECT max(visit_date) FROM moz_historyvisits v WHERE v.place_id = moz_places.id) \
    WHERE id IN (SELECT id FROM touched)";

const COUNT_BACK: &str = "UPDATE moz_places SET \
    visit_count = (SELECT count(*) FROM moz_historyvisits v WHERE v.place_id = moz_places.id AND v.visit_type NOT IN (0,4,7,8,9)), \
    last_visit_date = (SELECT max(visit_date) FROM moz_historyvisits v WHERE v.place_id = moz_places.id) \
    WHERE id IN (SELECT place_id FROM moz_historyvisits WHERE id IN (SELECT id FROM back))";

/// Pages: a page goes with its last visit, unless a bookmark or a keyword needs it.
const PAGES: Parent<'static> = Parent {
    table: "moz_places",
    via: "place_id",
    unique: &["url"],
    counted: &["visit_count", "last_visit_date"],
    recount: &[
        Step {
            needs: &[],
            sql: COUNT,
        },
        Step {
            needs: &[
                "moz_places.recalc_frecency",
                "moz_places.recalc_alt_frecency",
            ],
            sql: "UPDATE moz_places SET recalc_frecency = (frecency <> 0), recalc_alt_frecency = (frecency <> 0) \
                  WHERE id IN (SELECT id FROM touched)",
        },
    ],
    count_back: &[Step {
        needs: &[],
        sql: COUNT_BACK,
    }],
    goes_when: "foreign_count = 0 AND last_visit_date IS NULL \
        AND id NOT IN (SELECT fk FROM moz_bookmarks WHERE fk IS NOT NULL) \
        AND id NOT IN (SELECT place_id FROM moz_keywords WHERE place_id IS NOT NULL)",
    fading: &[
        Fading {
            rows: Child::plain("moz_annos", "place_id"),
            of: "anno_attribute_id IN (SELECT id FROM moz_anno_attributes WHERE name LIKE 'downloads/%')",
            goes_when: "NOT EXISTS (SELECT 1 FROM moz_historyvisits v WHERE v.place_id = moz_annos.place_id AND v.visit_type = 7)",
        },
        Fading {
            rows: Child {
                parents: &[QUERIES],
                ..Child::plain("moz_places_metadata", "place_id")
            },
            of: "1",
            goes_when: "created_at < coalesce((SELECT min(v.visit_date) FROM moz_historyvisits v \
                WHERE v.place_id = moz_places_metadata.place_id) / 1000, 9223372036854775807)",
        },
    ],
    children: &[
        Child::plain("moz_annos", "place_id"),
        Child::plain("moz_inputhistory", "place_id"),
        Child::plain("moz_places_extra", "place_id"),
        Child {
            parents: &[QUERIES],
            ..Child::plain("moz_places_metadata", "place_id")
        },
        Child {
            parents: &[QUERIES],
            ..Child::plain("moz_places_metadata", "referrer_place_id")
        },
        Child::plain("moz_newtab_shortcuts_interaction", "place_id"),
    ],
    parents: &[ORIGINS],
    pointers: &[Pointer {
        table: "moz_historyvisits",
        column: "triggeringPlaceId",
        becomes: Becomes::Null,
    }],
};

/// Pages whose icons are known: one goes with the last of them.
const PAGES_WITH_ICONS: Parent<'static> = Parent {
    table: "moz_pages_w_icons",
    via: "page_id",
    unique: &["page_url"],
    counted: &[],
    recount: &[],
    count_back: &[],
    goes_when: "NOT EXISTS (SELECT 1 FROM moz_icons_to_pages t WHERE t.page_id = moz_pages_w_icons.id)",
    fading: &[],
    children: &[],
    parents: &[],
    pointers: &[],
};

pub(super) const TABLES: &[KnownTable] = &[
    KnownTable {
        table: "moz_historyvisits",
        required: words! {
            "moz_historyvisits.id" "moz_historyvisits.place_id" "moz_historyvisits.visit_date"
            "moz_historyvisits.visit_type" "moz_historyvisits.from_visit" "moz_places.id" "moz_places.url"
            "moz_places.visit_count" "moz_places.last_visit_date" "moz_places.foreign_count" "moz_places.frecency"
            "moz_bookmarks.fk" "moz_keywords.place_id" "moz_anno_attributes.name"
        },
        has_foreign_keys: true,
        stays: None,
        references: &["visit_id", "place_id", "referrer_place_id", "fk"],
        others: &["moz_bookmarks", "moz_keywords"],
        children: &[Child::plain("moz_historyvisits_extra", "visit_id")],
        parents: &[PAGES],
        pointers: &[Pointer {
            table: "moz_historyvisits",
            column: "from_visit",
            becomes: Becomes::Zero,
        }],
        bookmarks: &[],
    },
    KnownTable {
        table: "moz_cookies",
        required: &[
            "moz_cookies.id",
            "moz_cookies.host",
            "moz_cookies.lastAccessed",
        ],
        has_foreign_keys: false,
        stays: None,
        references: &[],
        others: &[],
        children: &[],
        parents: &[],
        pointers: &[],
        bookmarks: &[],
    },
    KnownTable {
        table: "moz_icons",
        required: words! {
            "moz_icons.id" "moz_icons.icon_url" "moz_icons.root" "moz_icons.expire_ms" "moz_icons_to_pages.icon_id"
            "moz_icons_to_pages.page_id" "moz_pages_w_icons.id" "moz_pages_w_icons.page_url"
        },
        has_foreign_keys: true,
        // The icon of a bookmark is a part of it, and that of a whole site names no page.
        stays: Some(
            "root = 1 OR EXISTS (SELECT 1 FROM moz_icons_to_pages t JOIN moz_pages_w_icons w ON w.id = t.page_id \
            JOIN pin ON pin.url = w.page_url WHERE t.icon_id = moz_icons.id)",
        ),
        references: &["icon_id", "page_id"],
        others: &[],
        children: &[Child {
            parents: &[PAGES_WITH_ICONS],
            ..Child::plain("moz_icons_to_pages", "icon_id")
        }],
        parents: &[],
        pointers: &[],
        bookmarks: &["places.sqlite"],
    },
];
