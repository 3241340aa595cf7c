//! Listing rows: time, site, size and fingerprint of each.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::ops::RangeInclusive;
use std::sync::Arc;

use rusqlite::Connection;
use rusqlite::types::ValueRef;

use crate::format::Site;
use crate::rule::{RecordSet, RowFilter, RowSite, RowTime};
use crate::source::holder::rows::graph::Graph;
use crate::source::holder::rows::row_function;
use crate::source::holder::rows::schema::{Schema, quoted};
use crate::source::holder::rows::site_names::{ByNumber, KnownSites};
use crate::source::holder::rows::value::in_order;
use crate::source::holder::rows::{MOST_ROWS, Rows, SchemaError};
use crate::source::holder::{HolderError, HolderItem};

/// What an entry of an index holds beside the value, in bytes.
const OF_INDEX: u64 = 8;

/// What is asked of each row for one set.
struct Asked<'a> {
    set: usize,
    /// Positions of the columns that a time stands in.
    times: Vec<usize>,
    time: Option<&'a RowTime>,
    /// What other tables say of the time of rows, by their keys.
    told: HashMap<i64, i64>,
    filters: Vec<(usize, &'a RowFilter)>,
    site: Sites,
}

/// How the site of a row is found.
enum Sites {
    None,
    Own(usize),
    Of(usize, ByNumber),
}

impl Rows {
    /// Lists the rows of all sets, by two threads where there is a second connection to the same rows.
    pub(super) fn read_all(&mut self, mut second: Option<Connection>) -> Result<(), HolderError> {
        let mut sites = KnownSites::default();
        for table in self.tables() {
            self.schema.check(&self.graph(&table))?;
            self.read_table(&table, &mut second, &mut sites)?;
        }
        Ok(())
    }

    fn read_table(
        &mut self,
        table: &str,
        second: &mut Option<Connection>,
        sites: &mut KnownSites,
    ) -> Result<(), HolderError> {
        let columns = self.schema.columns(table).to_vec();
        let sets = self.sets.clone();
        let of_table = sets
            .iter()
            .enumerate()
            .filter(|(_, set)| set.table.eq_ignore_ascii_case(table));
        let mut asked = Vec::new();
        for (at, set) in of_table {
            asked.push(ask(&self.connection, &self.schema, (at, set), sites)?);
        }
        let graph = self.graph(table);
        let (beside, rows) = bytes_beside(&self.connection, &self.schema, &graph)?;
        let reading = TableReading {
            table,
            order: in_order(&columns),
            columns,
            sets: &sets,
            asked,
            staying: staying(&self.connection, &graph)?,
            beside,
            rows: usize::try_from(rows).unwrap_or(0),
            most: MOST_ROWS.saturating_sub(self.items.len()),
        };
        let parts = reading.read_by_all(&self.connection, second, sites)?;
        for part in parts {
            append(&mut self.items, part.items);
            append(&mut self.keys, part.keys);
            self.unreadable += part.kept;
        }
        if self.items.len() > MOST_ROWS {
            return Err(HolderError::TooLarge);
        }
        Ok(())
    }
}

/// Appends without copying what comes first.
fn append<T>(all: &mut Vec<T>, mut more: Vec<T>) {
    if all.is_empty() {
        *all = more;
    } else {
        all.append(&mut more);
    }
}

/// What is known of a table before its rows are read.
struct TableReading<'a> {
    table: &'a str,
    columns: Vec<String>,
    /// Positions of the columns in the order of their names.
    order: Vec<usize>,
    sets: &'a [Arc<RecordSet>],
    asked: Vec<Asked<'a>>,
    /// Keys of rows that stay.
    staying: HashSet<i64>,
    /// Bytes that a row takes beside its own values.
    beside: u64,
    /// How many rows it has.
    rows: usize,
    /// So many rows are listed at most.
    most: usize,
}

/// Some rows of a table, in the order of their keys.
#[derive(Default)]
struct ReadRows {
    items: Vec<HolderItem>,
    keys: Vec<i64>,
    /// How many stay that somebody asked for.
    kept: u64,
}

impl TableReading<'_> {
    /// Reads all rows, by two threads where there is a second connection.
    fn read_by_all(
        &self,
        first: &Connection,
        second: &mut Option<Connection>,
        sites: &mut KnownSites,
    ) -> Result<Vec<ReadRows>, HolderError> {
        let Some(lent) = second.take() else {
            return Ok(vec![self.read(
                first,
                (i64::MIN..=i64::MAX, self.room()),
                sites,
            )?]);
        };
        let ends = format!(
            "SELECT (SELECT min(rowid) FROM main.{0}), (SELECT max(rowid) FROM main.{0})",
            quoted(self.table)
        );
        let ends = first.query_row(&ends, [], |row| {
            Ok((row.get::<_, Option<i64>>(0)?, row.get::<_, Option<i64>>(1)?))
        })?;
        let middle = ends
            .0
            .zip(ends.1)
            .map_or(0, |(least, most)| least.midpoint(most));
        let mut others = sites.clone();
        let Some(next) = middle.checked_add(1) else {
            *second = Some(lent);
            return Ok(vec![self.read(
                first,
                (i64::MIN..=i64::MAX, self.room()),
                sites,
            )?]);
        };
        let above = next..=i64::MAX;
        std::thread::scope(|scope| {
            let half = self.room() / 2;
            let upper = scope.spawn(move || (self.read(&lent, (above, half), &mut others), lent));
            // The upper ones are added to the lower ones.
            let lower = self.read(first, (i64::MIN..=middle, self.room()), sites);
            let Ok((upper, lent)) = upper.join() else {
                return Err(HolderError::NotAsMeant);
            };
            *second = Some(lent);
            Ok(vec![lower?, upper?])
        })
    }

    /// The sets once more: what several threads count the users of would be in reach of one of them at a time.
    fn own_sets(&self) -> Vec<Arc<RecordSet>> {
        let copy = |set: &Arc<RecordSet>| Arc::new((**set).clone());
        self.sets.iter().map(copy).collect()
    }

    /// For how many rows room is made beforehand.
    fn room(&self) -> usize {
        self.rows.min(self.most)
    }

    /// Positions of the columns that are looked at one by one, each once.
    fn wanted(&self) -> BTreeSet<usize> {
        let of_set = |asked: &Asked<'_>| {
            let site = match asked.site {
                Sites::None => None,
                Sites::Own(at) | Sites::Of(at, _) => Some(at),
            };
            let filters = asked.filters.iter().map(|(at, _)| *at);
            let all = asked.times.iter().copied().chain(filters).chain(site);
            all.collect::<Vec<_>>()
        };
        self.asked.iter().flat_map(of_set).collect()
    }

    /// Reads the rows whose keys lie in a range.
    fn read(
        &self,
        connection: &Connection,
        (range, room): (RangeInclusive<i64>, usize),
        sites: &mut KnownSites,
    ) -> Result<ReadRows, HolderError> {
        let mut read = ReadRows {
            items: Vec::with_capacity(room),
            keys: Vec::with_capacity(room),
            kept: 0,
        };
        let names = || self.order.iter().map(|at| self.columns[*at].as_str());
        let last = row_function::define(connection, self.table, names())?;
        let sets = self.own_sets();
        let wanted = self.wanted();
        let also = wanted
            .iter()
            .map(|at| format!(", {}", quoted(&self.columns[*at])));
        let also: Vec<String> = also.collect();
        let sql = format!(
            "SELECT rowid, {}({}){} FROM main.{} WHERE rowid BETWEEN ?1 AND ?2",
            row_function::NAME,
            names().map(quoted).collect::<Vec<_>>().join(", "),
            also.concat(),
            quoted(self.table)
        );
        let mut slots = vec![0; self.columns.len()];
        for (slot, at) in wanted.iter().enumerate() {
            slots[*at] = slot + 2;
        }
        let mut statement = connection.prepare(&sql)?;
        let mut rows = statement.query([range.start(), range.end()])?;
        while let Some(row) = rows.next()? {
            let key: i64 = row.get(0)?;
            let value = |at: usize| row.get_ref(slots[at]);
            let mut fitting = None;
            for asked in &self.asked {
                let mut fits = true;
                for (at, filter) in &asked.filters {
                    fits &= passes(filter, value(*at)?);
                }
                if fits {
                    fitting = Some(asked);
                    break;
                }
            }
            let Some(asked) = fitting else { continue };
            if self.staying.contains(&key) {
                read.kept += 1;
                continue;
            }
            if read.items.len() >= self.most {
                return Err(HolderError::TooLarge);
            }
            // It was left there when this row was stepped to.
            let Some(summary) = last.take() else {
                return Err(HolderError::NotAsMeant);
            };
            let reading = RowReading { value: &value, key };
            let time = reading.time(asked)?;
            let site = reading.site(asked, sites)?;
            let site = site.and_then(|number| sites.get(number));
            read.items.push(HolderItem {
                name: name_of(self.table, key, site),
                time,
                size: self.beside + summary.size,
                fingerprint: summary.fingerprint,
                leads_to: Vec::new(),
                reference: None,
                set: Some(Arc::clone(&sets[asked.set])),
            });
            read.keys.push(key);
        }
        Ok(read)
    }
}

/// A row while it is read.
struct RowReading<'a, 'r> {
    value: &'a dyn Fn(usize) -> rusqlite::Result<ValueRef<'r>>,
    key: i64,
}

impl RowReading<'_, '_> {
    fn number(&self, at: usize) -> rusqlite::Result<Option<i64>> {
        Ok(match (self.value)(at)? {
            ValueRef::Integer(number) => Some(number),
            ValueRef::Null | ValueRef::Real(_) | ValueRef::Text(_) | ValueRef::Blob(_) => None,
        })
    }

    /// The latest time that it says, or that is told of it.
    fn time(&self, asked: &Asked<'_>) -> rusqlite::Result<Option<i64>> {
        let mut time = if asked.told.is_empty() {
            None
        } else {
            asked.told.get(&self.key).copied()
        };
        for at in &asked.times {
            let written = self.number(*at)?;
            let seconds = written.and_then(|written| asked.time?.seconds(written));
            time = time.max(seconds);
        }
        Ok(time)
    }

    /// The number of its site.
    fn site(&self, asked: &Asked<'_>, sites: &mut KnownSites) -> rusqlite::Result<Option<u32>> {
        Ok(match &asked.site {
            Sites::None => None,
            Sites::Own(at) => sites.of((self.value)(*at)?),
            Sites::Of(at, known) => self.number(*at)?.and_then(|id| known.get(id)),
        })
    }
}

/// A row as one part of a path below its database: table, number, and site where it has one.
pub(super) fn name_of(table: &str, key: i64, site: Option<&Site>) -> Vec<u8> {
    let mut name = Vec::with_capacity(table.len() + 40);
    name.extend_from_slice(table.as_bytes());
    name.push(b' ');
    name.extend_from_slice(itoa::Buffer::new().format(key).as_bytes());
    if let Some(site) = site {
        name.push(b' ');
        name.extend_from_slice(site.as_str().as_bytes());
    }
    name
}

fn passes(filter: &RowFilter, value: ValueRef<'_>) -> bool {
    match value {
        ValueRef::Integer(number) => filter.values.contains(&number) == filter.must,
        // What isn't a number is neither.
        ValueRef::Null | ValueRef::Real(_) | ValueRef::Text(_) | ValueRef::Blob(_) => false,
    }
}

fn ask<'a>(
    connection: &Connection,
    schema: &Schema,
    (at, set): (usize, &'a RecordSet),
    sites: &mut KnownSites,
) -> Result<Asked<'a>, HolderError> {
    let columns = schema.columns(&set.table);
    let position = |column: &str| {
        let found = columns
            .iter()
            .position(|one| one.eq_ignore_ascii_case(column));
        found.ok_or_else(|| SchemaError::Strange(set.table.clone()))
    };
    let own_times = set.time.iter().filter(|time| time.of.is_none());
    let times = own_times.flat_map(|time| &time.columns);
    let times = times.map(|column| position(column));
    let filters = set.only.iter();
    let filters = filters.map(|filter| Ok::<_, SchemaError>((position(&filter.column)?, filter)));
    let site = match &set.site {
        None => Sites::None,
        Some(RowSite::Own(column)) => Sites::Own(position(column)?),
        Some(RowSite::Of { table, column, by }) => {
            let by = position(by)?;
            if !schema.has(&format!("{table}.{column}")) || !schema.has(&format!("{table}.id")) {
                return Err(SchemaError::Strange(table.clone()).into());
            }
            let sql = format!("SELECT id, {} FROM main.{}", quoted(column), quoted(table));
            let mut statement = connection.prepare(&sql)?;
            let mut rows = statement.query([])?;
            let mut known = ByNumber::default();
            while let Some(row) = rows.next()? {
                if let (ValueRef::Integer(id), Some(site)) =
                    (row.get_ref(0)?, sites.of(row.get_ref(1)?))
                {
                    known.insert(id, site);
                }
            }
            Sites::Of(by, known)
        }
    };
    Ok(Asked {
        set: at,
        times: times.collect::<Result<_, _>>()?,
        time: set.time.as_ref(),
        told: told(connection, schema, set.time.as_ref())?,
        filters: filters.collect::<Result<_, _>>()?,
        site,
    })
}

/// What another table says of the time of rows.
fn told(
    connection: &Connection,
    schema: &Schema,
    time: Option<&RowTime>,
) -> Result<HashMap<i64, i64>, HolderError> {
    let mut told = HashMap::new();
    let Some((time, (table, by))) = time.and_then(|time| Some((time, time.of.as_ref()?))) else {
        return Ok(told);
    };
    for column in &time.columns {
        let has = |column: &str| schema.has(&format!("{table}.{column}"));
        if !has(column) || !has(by) {
            return Err(SchemaError::Strange(table.clone()).into());
        }
        let (by, column, table) = (quoted(by), quoted(column), quoted(table));
        let mut statement =
            connection.prepare(&format!("SELECT {by}, {column} FROM main.{table}"))?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            if let (ValueRef::Integer(key), ValueRef::Integer(written)) =
                (row.get_ref(0)?, row.get_ref(1)?)
                && let Some(seconds) = time.seconds(written)
            {
                let latest = told.entry(key).or_insert(seconds);
                *latest = seconds.max(*latest);
            }
        }
    }
    Ok(told)
}

/// The rows of a table that stay because something beside them needs them.
fn staying(connection: &Connection, graph: &Graph<'_>) -> rusqlite::Result<HashSet<i64>> {
    let Some(stays) = graph.known.and_then(|known| known.stays) else {
        return Ok(HashSet::new());
    };
    let sql = format!(
        "SELECT rowid FROM main.{} WHERE {stays}",
        quoted(graph.table)
    );
    let mut statement = connection.prepare(&sql)?;
    let keys = statement.query_map([], |row| row.get(0))?;
    keys.collect()
}

/// About what goes with one row of a table beside itself: its share of what belongs to rows of it, and its places in
/// indexes; and how many rows it has.
fn bytes_beside(
    connection: &Connection,
    schema: &Schema,
    graph: &Graph<'_>,
) -> rusqlite::Result<(u64, u64)> {
    let count = |table: &str| -> rusqlite::Result<u64> {
        let sql = format!("SELECT count(*) FROM main.{}", quoted(table));
        let many: i64 = connection.query_row(&sql, [], |row| row.get(0))?;
        Ok(many.unsigned_abs())
    };
    let rows = count(graph.table)?;
    let own = rows.max(1);
    let mut bytes = 0;
    for child in graph
        .children
        .iter()
        .filter(|child| schema.has(child.table))
    {
        let columns = schema.columns(child.table).len() as u64;
        bytes += count(child.table)? * columns * 4 / own;
    }
    let sql = format!("PRAGMA main.index_list({})", quoted(graph.table));
    let mut indexes = connection.prepare(&sql)?;
    let mut listed = indexes.query([])?;
    while listed.next()?.is_some() {
        bytes += OF_INDEX + 4;
    }
    Ok((bytes, rows))
}
