//! What tells this start of this machine from any other.

/// What tells this start of this machine from any other, as a hash that says nothing of the machine;
/// empty where the kernel doesn't say (random(4): `boot_id` is new with each start).
pub fn boot() -> String {
    match std::fs::read("/proc/sys/kernel/random/boot_id") {
        Ok(id) => {
            let hash = blake3::hash(id.trim_ascii()).to_hex();
            hash.get(..32).unwrap_or_default().to_owned()
        }
        Err(_) => String::new(),
    }
}
