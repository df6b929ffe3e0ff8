//! What shuts the reader of untrusted files in: nobody's rights, no network, no other processes, no files by name.
//!
//! The list names what is forbidden (seccomp, by the crate `seccompiler`): the kernel's geometry, its threads and memory go on as they are.

use seccompiler::{
    BpfProgram, SeccompAction, SeccompCmpArgLen, SeccompCmpOp, SeccompCondition, SeccompFilter, SeccompRule,
};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A user and group that own nothing.
const NOBODY: libc::uid_t = 65534;

/// Close every descriptor but the three pipes: what this process was started beside is none of its business.
pub fn close_others() {
    // SAFETY: nothing here has opened a descriptor yet.
    unsafe { libc::syscall(libc::SYS_close_range, 3_u32, u32::MAX, 0_u32) };
}

/// System calls that are never made in here: network, other processes, other identities, the system itself.
const FORBIDDEN: &[libc::c_long] = &[
    libc::SYS_socket,
    libc::SYS_socketpair,
    libc::SYS_connect,
    libc::SYS_bind,
    libc::SYS_listen,
    libc::SYS_accept,
    libc::SYS_accept4,
    libc::SYS_sendto,
    libc::SYS_sendmsg,
    libc::SYS_recvfrom,
    libc::SYS_recvmsg,
    libc::SYS_execve,
    libc::SYS_execveat,
    libc::SYS_ptrace,
    libc::SYS_process_vm_readv,
    libc::SYS_process_vm_writev,
    libc::SYS_kill,
    libc::SYS_tkill,
    libc::SYS_pidfd_open,
    libc::SYS_setuid,
    libc::SYS_setgid,
    libc::SYS_setresuid,
    libc::SYS_setresgid,
    libc::SYS_setns,
    libc::SYS_unshare,
    libc::SYS_mount,
    libc::SYS_umount2,
    libc::SYS_pivot_root,
    libc::SYS_chroot,
    libc::SYS_bpf,
    libc::SYS_perf_event_open,
    libc::SYS_keyctl,
    libc::SYS_add_key,
    libc::SYS_io_uring_setup,
    libc::SYS_userfaultfd,
];

/// Files by their names.
const BY_NAME: &[libc::c_long] = &[
    libc::SYS_openat,
    libc::SYS_openat2,
    libc::SYS_open_by_handle_at,
    libc::SYS_mkdirat,
    libc::SYS_unlinkat,
    libc::SYS_renameat,
    libc::SYS_renameat2,
    libc::SYS_linkat,
    libc::SYS_symlinkat,
    libc::SYS_fchmodat,
    libc::SYS_fchownat,
    libc::SYS_mknodat,
    libc::SYS_truncate,
    libc::SYS_chdir,
];

/// The older forms that this architecture still has.
#[cfg(target_arch = "x86_64")]
const OLDER: [&[libc::c_long]; 2] = [
    &[libc::SYS_fork, libc::SYS_vfork],
    &[
        libc::SYS_open,
        libc::SYS_creat,
        libc::SYS_mkdir,
        libc::SYS_rmdir,
        libc::SYS_unlink,
        libc::SYS_rename,
        libc::SYS_link,
        libc::SYS_symlink,
        libc::SYS_chmod,
        libc::SYS_chown,
        libc::SYS_mknod,
    ],
];
#[cfg(not(target_arch = "x86_64"))]
const OLDER: [&[libc::c_long]; 2] = [&[], &[]];

fn apply(rules: BTreeMap<i64, Vec<SeccompRule>>, errno: i32) -> Result<(), String> {
    let arch = std::env::consts::ARCH.try_into().map_err(|_| "no such architecture")?;
    let action = SeccompAction::Errno(errno as u32);
    let filter = SeccompFilter::new(rules, SeccompAction::Allow, action, arch).map_err(|e| e.to_string())?;
    let program: BpfProgram = filter.try_into().map_err(|e: seccompiler::BackendError| e.to_string())?;
    seccompiler::apply_filter(&program).map_err(|e| e.to_string())
}

/// Shut this process in for good: it becomes nobody and opens no file by name.
pub fn shut_in() -> Result<(), String> {
    // SAFETY: plain calls with numbers; a failure is looked at.
    unsafe {
        if libc::geteuid() == 0 {
            let left = libc::setgroups(0, std::ptr::null()) == 0
                && libc::setresgid(NOBODY, NOBODY, NOBODY) == 0
                && libc::setresuid(NOBODY, NOBODY, NOBODY) == 0;
            if !left {
                return Err("it stays root".into());
            }
        }
        if libc::prctl(libc::PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0 {
            return Err("it may still take more rights".into());
        }
    }
    let mut rules: BTreeMap<i64, Vec<SeccompRule>> = BTreeMap::new();
    let mut forbid = |list: &[libc::c_long]| list.iter().for_each(|n| drop(rules.insert(*n, vec![])));
    forbid(FORBIDDEN);
    forbid(OLDER[0]);
    forbid(BY_NAME);
    forbid(OLDER[1]);
    // Threads are clones that share everything; another process is one that does not.
    let flag = libc::CLONE_THREAD as u64;
    let apart = SeccompCondition::new(0, SeccompCmpArgLen::Qword, SeccompCmpOp::MaskedEq(flag), 0);
    let rule = SeccompRule::new(vec![apart.map_err(|e| e.to_string())?]).map_err(|e| e.to_string())?;
    rules.insert(libc::SYS_clone, vec![rule]);
    // Of clone3 the flags lie in memory, where no filter looks: it is said not to exist, and clone is taken instead.
    apply(BTreeMap::from([(libc::SYS_clone3, vec![])]), libc::ENOSYS)?;
    apply(rules, libc::EPERM)
}

/// What a shut-in reader found when it tried.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Probe {
    /// Names in its environment.
    pub environment: Vec<String>,
    /// User.
    pub user: u32,
    /// Descriptors that are open, and whether each is a socket.
    pub open: Vec<(i32, bool)>,
    /// 2: a filter holds.
    pub seccomp: i32,
    /// It can get no more rights.
    pub no_new_privs: bool,
    /// What was tried, and the error number it gave; none: it worked.
    pub tried: Vec<(String, Option<i32>)>,
    /// A thread could be started.
    pub threads: bool,
}

/// Try what must not work.
pub fn probe() -> Probe {
    let errno = || std::io::Error::last_os_error().raw_os_error().unwrap_or(0);
    let mut tried = Vec::new();
    let mut note = |what: &str, result: i64| tried.push((what.to_string(), (result < 0).then(errno)));
    // SAFETY: plain calls; structs live over them; a child that should not exist ends at once.
    let (seccomp, no_new_privs, user) = unsafe {
        note("socket", libc::socket(libc::AF_INET, libc::SOCK_STREAM, 0).into());
        let mut to: libc::sockaddr_in = std::mem::zeroed();
        to.sin_family = libc::AF_INET as u16;
        let size = std::mem::size_of::<libc::sockaddr_in>() as u32;
        note("connect", libc::connect(0, (&raw const to).cast(), size).into());
        let child = libc::fork();
        if child == 0 {
            libc::_exit(0);
        }
        note("fork", child.into());
        note("open", libc::open(c"/etc/passwd".as_ptr(), libc::O_RDONLY).into());
        note("exec", libc::execv(c"/bin/true".as_ptr(), [std::ptr::null()].as_ptr()).into());
        note("setuid", libc::setuid(0).into());
        (
            libc::prctl(libc::PR_GET_SECCOMP, 0, 0, 0, 0),
            libc::prctl(libc::PR_GET_NO_NEW_PRIVS, 0, 0, 0, 0) == 1,
            libc::getuid(),
        )
    };
    let open = (0..1024)
        .filter_map(|fd| {
            // SAFETY: `stat` is filled by the call that is given it.
            unsafe {
                let mut stat: libc::stat = std::mem::zeroed();
                (libc::fstat(fd, &raw mut stat) == 0).then_some((fd, stat.st_mode & libc::S_IFMT == libc::S_IFSOCK))
            }
        })
        .collect();
    let threads = std::thread::Builder::new().spawn(|| {}).is_ok_and(|t| t.join().is_ok());
    let environment = std::env::vars_os().map(|v| v.0.to_string_lossy().into_owned()).collect();
    Probe { environment, user, open, seccomp, no_new_privs, tried, threads }
}
