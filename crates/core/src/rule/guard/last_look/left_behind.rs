//! Where what removed programs left may lie among the system's own, told by a whole path in small letters.

use crate::computer::Layout;
use crate::rule::{Rule, Survey};

/// What is the system's in these folders, whatever a survey says: a name, or the beginning of one where it ends in `*`.
const LINUX: [(&str, &str); 3] = [
    (
        "/etc/",
        "alternatives apt apparmor* bash* binfmt.d ca-certificates* cron* crypttab dbus-1 debconf.conf default dhcp dpkg \
         environment* ethertypes exports fonts fstab group* grub* gshadow* gss host* init* inputrc iproute2 issue* kernel \
         ld.so* libaudit.conf locale* localtime login.defs logrotate* lsb-release lvm machine-id magic* mail* manpath.config \
         mdadm mime* mke2fs.conf modprobe.d modules* motd mtab network* nftables.conf nsswitch.conf opt os-release pacman* \
         pam* passwd* pki polkit-1 ppp profile* protocols rc*.d rc0.d rc1.d rc2.d rc3.d rc4.d rc5.d rc6.d rcs.d resolv* rpc \
         rpm securetty security selinux services shadow* shells skel ssh ssl subgid* subuid* sudo* sysctl* sysconfig systemd \
         terminfo timezone tmpfiles.d udev ufw update-motd.d vconsole.conf wireguard wpa_supplicant x11 xdg yum* zypp",
    ),
    (
        "/var/lib/",
        "accountsservice alternatives apk apt containerd dbus dhcp* docker dpkg emacsen-common extrausers flatpak \
         initramfs-tools libvirt lxc lxd machines misc networkmanager nfs os-prober pacman pam polkit-1 portables private \
         python* rpm shells.state snapd sudo systemd ucf* udisks2 update-notifier upower usbutils vim xkb xml-core",
    ),
    ("/opt/", "containerd local"),
];

const WINDOWS: [(&str, &str); 3] = [
    (
        "/program files/",
        "windows* common* internet* microsoft* modifiablewindowsapps reference* uninstall* desktop.ini",
    ),
    (
        "/program files (x86)/",
        "windows* common* internet* microsoft* reference* uninstall* desktop.ini",
    ),
    (
        "/programdata/",
        "microsoft* package* regid.* softwaredistribution ssh templates uso* application* desktop* documents* start* \
         windows* ntuser* whesvc",
    ),
];

const MACOS: [(&str, &str); 2] = [
    (
        "/library/application support/",
        "apple* com.apple.* crashreporter approxi* btserver cloud* knowledge* procursus script* wwan",
    ),
    (
        "/library/preferences/",
        "com.apple.* .globalpreferences* systemconfiguration* group.com.apple.* audio* directoryservice*",
    ),
];

/// Whether a survey may have found a removed program's things there.
pub(super) fn may_be_left_behind(layout: Layout, rule: &Rule, text: &str) -> bool {
    if rule.survey != Some(Survey::LeftBehind) {
        return false;
    }
    let folders = match layout {
        Layout::Linux => &LINUX[..],
        Layout::Windows => &WINDOWS[..],
        Layout::Macos => &MACOS[..],
    };
    folders.iter().any(|(folder, systems)| {
        let below = text.strip_prefix(folder).unwrap_or_default();
        let name = below.split('/').next().unwrap_or_default();
        let is_systems = |known: &str| match known.strip_suffix('*') {
            Some(start) => name.starts_with(start),
            None => name == known,
        };
        !name.is_empty() && !systems.split_whitespace().any(is_systems)
    })
}
