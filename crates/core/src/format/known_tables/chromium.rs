//! Tables of the Chromium family.

use crate::format::known_tables::{Becomes, Child, KnownTable, Parent, Pointer, Step};

/// Pages: a page goes with its last visit, unless it is bookmarked.
const PAGES: Parent<'static> = Parent {
    table: "urls",
    via: "url",
    unique: &["url"],
    counted: &["visit_count", "typed_count", "last_visit_time"],
    recount: &[
        Step {
            needs: &["visits.incremented_omnibox_typed_score"],
            sql: "UPDATE urls SET typed_count = max(0, typed_count - (SELECT total(g.incremented_omnibox_typed_score) \
                  FROM gone_rows g WHERE g.url = urls.id)) WHERE id IN (SELECT id FROM touched)",
        },
        Step {
            needs: &[],
            sql: "UPDATE urls SET visit_count = max(0, visit_count - (SELECT count(*) FROM gone_rows g WHERE g.url = urls.id)), \
                  last_visit_time = coalesce((SELECT max(visit_time) FROM visits v WHERE v.url = urls.id), 0) \
                  WHERE id IN (SELECT id FROM touched)",
        },
    ],
    count_back: &[
        Step {
            needs: &["visits.incremented_omnibox_typed_score"],
            sql: "UPDATE urls SET typed_count = typed_count + (SELECT total(v.incremented_omnibox_typed_score) \
                  FROM visits v JOIN back b ON b.id = v.id WHERE v.url = urls.id) \
                  WHERE id IN (SELECT url FROM visits WHERE id IN (SELECT id FROM back))",
        },
        Step {
            needs: &[],
            sql: "UPDATE urls SET visit_count = visit_count + (SELECT count(*) FROM visits v JOIN back b ON b.id = v.id \
                  WHERE v.url = urls.id), last_visit_time = max(last_visit_time, coalesce((SELECT max(visit_time) \
                  FROM visits v WHERE v.url = urls.id), 0)) \
                  WHERE id IN (SELECT url FROM visits WHERE id IN (SELECT id FROM back))",
        },
    ],
    goes_when: "NOT EXISTS (SELECT 1 FROM visits v WHERE v.url = urls.id) AND url NOT IN (SELECT url FROM pin)",
    fading: &[],
    children: &[
        Child::plain("keyword_search_terms", "url_id"),
        Child {
            key: "id",
            children: &[Child::plain("segment_usage", "segment_id")],
            pointers: &[Pointer {
                table: "visits",
                column: "segment_id",
                becomes: Becomes::Zero,
            }],
            ..Child::plain("segments", "url_id")
        },
    ],
    parents: &[],
    pointers: &[],
};

/// The page that a link leads to: it comes back with the link, and goes by itself.
const LINKED_PAGE: Parent<'static> = Parent {
    via: "link_url_id",
    recount: &[],
    count_back: &[],
    goes_when: "0",
    children: &[],
    ..PAGES
};

/// Links that were followed, and from where.
const VISITED_LINKS: Parent<'static> = Parent {
    table: "visited_links",
    via: "visited_link_id",
    unique: &["link_url_id", "top_level_url", "frame_url"],
    counted: &["visit_count"],
    recount: &[Step {
        needs: &["visits.visited_link_id"],
        sql: "UPDATE visited_links SET visit_count = max(0, visit_count - (SELECT count(*) FROM gone_rows g \
              WHERE g.visited_link_id = visited_links.id)) WHERE id IN (SELECT id FROM touched)",
    }],
    count_back: &[Step {
        needs: &["visits.visited_link_id"],
        sql: "UPDATE visited_links SET visit_count = visit_count + (SELECT count(*) FROM visits v JOIN back b ON b.id = v.id \
              WHERE v.visited_link_id = visited_links.id) \
              WHERE id IN (SELECT visited_link_id FROM visits WHERE id IN (SELECT id FROM back))",
    }],
    goes_when: "NOT EXISTS (SELECT 1 FROM visits v WHERE v.visited_link_id = visited_links.id)",
    fading: &[],
    children: &[],
    parents: &[LINKED_PAGE],
    pointers: &[],
};

/// Groups of visits.
const CLUSTERS: Parent<'static> = Parent {
    table: "clusters",
    via: "cluster_id",
    unique: &["cluster_id"],
    counted: &[],
    recount: &[],
    count_back: &[],
    goes_when: "NOT EXISTS (SELECT 1 FROM clusters_and_visits c WHERE c.cluster_id = clusters.cluster_id)",
    fading: &[],
    children: &[Child::plain("cluster_keywords", "cluster_id")],
    parents: &[],
    pointers: &[],
};

const BOOKMARKS: &[&str] = &["Bookmarks", "AccountBookmarks"];

pub(super) const TABLES: &[KnownTable] = &[
    KnownTable {
        table: "visits",
        required: words! {
            "visits.id" "visits.url" "visits.visit_time" "visits.from_visit" "urls.id" "urls.url" "urls.visit_count"
            "urls.typed_count" "urls.last_visit_time"
        },
        has_foreign_keys: false,
        stays: None,
        references: &["visit_id", "url_id", "link_url_id", "duplicate_visit_id"],
        others: &["journey_history_entries"],
        children: &[
            Child::plain("visit_source", "id"),
            Child::plain("content_annotations", "visit_id"),
            Child::plain("context_annotations", "visit_id"),
            Child {
                parents: &[CLUSTERS],
                ..Child::plain("clusters_and_visits", "visit_id")
            },
            Child::plain("cluster_visit_duplicates", "visit_id"),
            Child::plain("cluster_visit_duplicates", "duplicate_visit_id"),
        ],
        parents: &[PAGES, VISITED_LINKS],
        pointers: &[
            Pointer {
                table: "visits",
                column: "from_visit",
                becomes: Becomes::Inherited,
            },
            Pointer {
                table: "visits",
                column: "opener_visit",
                becomes: Becomes::Zero,
            },
        ],
        bookmarks: BOOKMARKS,
    },
    KnownTable {
        table: "downloads",
        required: &["downloads.id", "downloads.start_time", "downloads.state"],
        has_foreign_keys: false,
        stays: None,
        references: &["download_id"],
        others: &[],
        children: &[
            Child::plain("downloads_url_chains", "id"),
            Child::plain("downloads_slices", "download_id"),
        ],
        parents: &[],
        pointers: &[],
        bookmarks: &[],
    },
    KnownTable {
        table: "cookies",
        required: &["cookies.host_key", "cookies.last_access_utc"],
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
        table: "favicons",
        required: &[
            "favicons.id",
            "favicons.url",
            "favicon_bitmaps.icon_id",
            "favicon_bitmaps.last_updated",
            "icon_mapping.icon_id",
            "icon_mapping.page_url",
        ],
        has_foreign_keys: false,
        // The icon of a bookmark is a part of it.
        stays: Some(
            "EXISTS (SELECT 1 FROM icon_mapping m JOIN pin ON pin.url = m.page_url WHERE m.icon_id = favicons.id)",
        ),
        references: &["icon_id"],
        others: &[],
        children: &[
            Child::plain("icon_mapping", "icon_id"),
            Child::plain("favicon_bitmaps", "icon_id"),
        ],
        parents: &[],
        pointers: &[],
        bookmarks: BOOKMARKS,
    },
];
