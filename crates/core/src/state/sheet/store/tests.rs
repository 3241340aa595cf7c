//! A store of another version, and what is none.

use std::fs;

use super::*;

fn state() -> (tempfile::TempDir, StateFolder) {
    let folder = tempfile::tempdir().unwrap();
    let state = StateFolder::open(folder.path().join("state")).unwrap();
    (folder, state)
}

#[test]
fn an_older_store_is_copied_and_brought_to_this_version_and_a_newer_one_left_alone() {
    let (_folder, state) = state();
    state.make().unwrap();
    let older = SheetStore::open_with(&state, &MIGRATIONS[..1]).unwrap();
    let add =
        "INSERT INTO computer (id, identity, label, layout) VALUES ('a', 'b', 'till', 'linux')";
    older.connection.execute(add, []).unwrap();
    drop(older);
    // A step that fails changes nothing.
    let broken = [MIGRATIONS[0], "ALTER TABLE computer ADD COLUMN x; nonsense"];
    assert!(SheetStore::open_with(&state, &broken).is_err());
    let store = SheetStore::open(&state).unwrap();
    let labels: Vec<String> = store
        .all()
        .unwrap()
        .into_iter()
        .map(|it| it.label)
        .collect();
    assert_eq!(labels, ["till"]);
    drop(store);
    // The copy is the store as it was.
    let copy = state.sheet_store().with_extension("version-1");
    let copied = Connection::open(copy).unwrap();
    let version: i64 = copied
        .pragma_query_value(None, "user_version", |row| row.get(0))
        .unwrap();
    assert_eq!(version, 1);
    let made_up = [MIGRATIONS, &["CREATE TABLE later (x TEXT) STRICT"]].concat();
    drop(SheetStore::open_with(&state, &made_up).unwrap());
    let before = fs::read(state.sheet_store()).unwrap();
    let newer = SheetStore::open(&state).map(drop).unwrap_err();
    assert!(matches!(newer, SheetError::Newer { .. }), "{newer}");
    assert_eq!(fs::read(state.sheet_store()).unwrap(), before);
}

#[test]
fn what_is_no_store_is_refused_and_stays_as_it_is() {
    let (_folder, state) = state();
    drop(SheetStore::open(&state).unwrap());
    let path = state.sheet_store();
    let whole = fs::read(&path).unwrap();
    let mut torn = whole.clone();
    torn.iter_mut().skip(4096).for_each(|byte| *byte ^= 0xa5);
    let other = tempfile::NamedTempFile::new().unwrap();
    let database = Connection::open(other.path()).unwrap();
    database.execute_batch("CREATE TABLE mine (x)").unwrap();
    drop(database);
    for wrong in [b"label = 3".to_vec(), torn, fs::read(other.path()).unwrap()] {
        fs::write(&path, &wrong).unwrap();
        let error = SheetStore::open_existing(&state).map(drop).unwrap_err();
        assert!(matches!(error, SheetError::Damaged { .. }), "{error}");
        assert_eq!(fs::read(&path).unwrap(), wrong);
    }
}
