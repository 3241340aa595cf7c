//! What a file must be inside, whatever it is called: what a rule's `looks-like` can ask for.

/// A kind of file, told by its bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum FileKind {
    /// The memory of a program that crashed: ELF of the type core (System V ABI).
    CoreDump,
    /// A program or library for linux: ELF (System V ABI).
    ElfProgram,
    /// A program for Windows (the PE format's `MZ`).
    WindowsProgram,
    /// A compound file, as Windows installers are (MS-CFB).
    CompoundFile,
    /// A ZIP archive, as packaged apps are (APPNOTE).
    Zip,
    /// A Debian package: an `ar` archive.
    DebianPackage,
    /// An RPM package.
    RpmPackage,
    /// A squashfs image, as snaps are.
    Squashfs,
    /// A CD or DVD image (ECMA-119).
    DiscImage,
    /// A disk image that begins with a boot sector.
    BootSector,
    /// A macOS disk image, by its trailer.
    AppleDiskImage,
    /// A xar archive, as macOS installers are.
    Xar,
    /// A note of where to fetch a program.
    FlatpakRef,
    /// A script with its interpreter in the first line.
    Script,
    /// A PNG picture (ISO/IEC 15948).
    Png,
}

impl FileKind {
    /// Every kind.
    pub const ALL: [Self; 15] = [
        Self::CoreDump,
        Self::ElfProgram,
        Self::WindowsProgram,
        Self::CompoundFile,
        Self::Zip,
        Self::DebianPackage,
        Self::RpmPackage,
        Self::Squashfs,
        Self::DiscImage,
        Self::BootSector,
        Self::AppleDiskImage,
        Self::Xar,
        Self::FlatpakRef,
        Self::Script,
        Self::Png,
    ];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::CoreDump => "core-dump",
            Self::ElfProgram => "elf-program",
            Self::WindowsProgram => "windows-program",
            Self::CompoundFile => "compound-file",
            Self::Zip => "zip",
            Self::DebianPackage => "debian-package",
            Self::RpmPackage => "rpm-package",
            Self::Squashfs => "squashfs",
            Self::DiscImage => "disc-image",
            Self::BootSector => "boot-sector",
            Self::AppleDiskImage => "apple-disk-image",
            Self::Xar => "xar",
            Self::FlatpakRef => "flatpak-ref",
            Self::Script => "script",
            Self::Png => "png",
        }
    }

    /// The kind of that name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.name() == name)
    }
}
