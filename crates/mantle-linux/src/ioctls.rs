//! The ioctls in use, with the sizes that the kernel expects. All unsafe code for uinput and evdev is here.

use rustix::fd::BorrowedFd;
use rustix::io::{Errno, Result};
use rustix::ioctl::{self, Getter, IntegerSetter, NoArg, Opcode, Setter, Updater, opcode};

const UINPUT: u8 = b'U';
const EVDEV: u8 = b'E';
const HIDRAW: u8 = b'H';

/// `struct uinput_setup`.
#[repr(C)]
#[derive(Clone, Copy)]
pub struct UinputSetup {
    pub bus: u16,
    pub vendor: u16,
    pub product: u16,
    pub version: u16,
    pub name: [u8; 80],
    pub ff_effects_max: u32,
}

/// `struct uinput_abs_setup`.
#[repr(C)]
#[derive(Clone, Copy)]
pub struct UinputAbsSetup {
    pub code: u16,
    pub pad: u16,
    pub info: AbsInfo,
}

/// `struct ff_effect` on 64-bit machines.
#[repr(C, align(8))]
#[derive(Clone, Copy, Default)]
pub struct FfEffect {
    pub kind: u16,
    pub id: i16,
    pub direction: u16,
    pub trigger: [u16; 2],
    pub length: u16,
    pub delay: u16,
    pub pad: u16,
    /// What depends on its kind: for rumble the strengths of the strong and the weak motor, for a periodic effect its waveform, period and magnitude,
    /// and more.
    pub words: [u16; 16],
}

/// `struct uinput_ff_upload`.
#[repr(C)]
#[derive(Clone, Copy, Default)]
pub struct FfUpload {
    pub request: u32,
    pub retval: i32,
    pub effect: FfEffect,
    pub old: FfEffect,
}

/// `struct uinput_ff_erase`.
#[repr(C)]
#[derive(Clone, Copy, Default)]
pub struct FfErase {
    pub request: u32,
    pub retval: i32,
    pub effect: u32,
}

/// `struct input_absinfo`.
#[repr(C)]
#[derive(Clone, Copy, Default)]
pub struct AbsInfo {
    pub value: i32,
    pub minimum: i32,
    pub maximum: i32,
    pub fuzz: i32,
    pub flat: i32,
    pub resolution: i32,
}

/// Touch contacts that are read.
pub const CONTACTS: usize = 5;

/// What EVIOCGMTSLOTS reads and writes.
#[repr(C)]
struct Slots {
    code: u32,
    values: [i32; CONTACTS],
}

const _: () = assert!(size_of::<AbsInfo>() == 24);
const _: () = assert!(size_of::<UinputSetup>() == 92);
const _: () = assert!(size_of::<UinputAbsSetup>() == 28);
const _: () = assert!(size_of::<FfEffect>() == 48);
const _: () = assert!(std::mem::offset_of!(FfEffect, words) == 16);
const _: () = assert!(size_of::<FfUpload>() == 104);
const _: () = assert!(size_of::<FfErase>() == 12);

const DEV_CREATE: Opcode = opcode::none(UINPUT, 1);
const DEV_SETUP: Opcode = opcode::write::<UinputSetup>(UINPUT, 3);
const ABS_SETUP: Opcode = opcode::write::<UinputAbsSetup>(UINPUT, 4);
const SET_EVBIT: Opcode = opcode::write::<i32>(UINPUT, 100);
const SET_KEYBIT: Opcode = opcode::write::<i32>(UINPUT, 101);
const SET_ABSBIT: Opcode = opcode::write::<i32>(UINPUT, 103);
const SET_FFBIT: Opcode = opcode::write::<i32>(UINPUT, 107);
const SET_PROPBIT: Opcode = opcode::write::<i32>(UINPUT, 110);
const SET_PHYS: Opcode = opcode::write::<*const u8>(UINPUT, 108);
const GET_SYSNAME: Opcode = opcode::read::<[u8; 64]>(UINPUT, 44);
const BEGIN_UPLOAD: Opcode = opcode::read_write::<FfUpload>(UINPUT, 200);
const END_UPLOAD: Opcode = opcode::write::<FfUpload>(UINPUT, 201);
const BEGIN_ERASE: Opcode = opcode::read_write::<FfErase>(UINPUT, 202);
const END_ERASE: Opcode = opcode::write::<FfErase>(UINPUT, 203);
const GRAB: Opcode = opcode::write::<i32>(EVDEV, 0x90);
const SEND_EFFECT: Opcode = opcode::write::<FfEffect>(EVDEV, 0x80);
const GET_SLOTS: Opcode = opcode::read::<Slots>(EVDEV, 0x0a);
const SET_RELBIT: Opcode = opcode::write::<i32>(UINPUT, 102);
const GET_KEYS: Opcode = opcode::read::<[u8; 96]>(EVDEV, 0x18);

/// Which set a bit belongs to.
#[derive(Clone, Copy)]
pub enum Bit {
    Event,
    Key,
    Rel,
    Abs,
    Ff,
}

/// Declares a code of a pad that is being made.
pub fn set_bit(fd: BorrowedFd<'_>, kind: Bit, code: u16) -> Result<()> {
    let value = usize::from(code);
    // SAFETY: these ioctls take a plain integer and touch no memory of ours.
    unsafe {
        match kind {
            Bit::Event => ioctl::ioctl(fd, IntegerSetter::<SET_EVBIT>::new_usize(value)),
            Bit::Key => ioctl::ioctl(fd, IntegerSetter::<SET_KEYBIT>::new_usize(value)),
            Bit::Rel => ioctl::ioctl(fd, IntegerSetter::<SET_RELBIT>::new_usize(value)),
            Bit::Abs => ioctl::ioctl(fd, IntegerSetter::<SET_ABSBIT>::new_usize(value)),
            Bit::Ff => ioctl::ioctl(fd, IntegerSetter::<SET_FFBIT>::new_usize(value)),
        }
    }
}

/// Declares a property of the node.
pub fn set_property(fd: BorrowedFd<'_>, property: u16) -> Result<()> {
    // SAFETY: as for `set_bit`.
    unsafe { ioctl::ioctl(fd, IntegerSetter::<SET_PROPBIT>::new_usize(usize::from(property))) }
}

/// Declares the range of an axis.
pub fn set_abs(fd: BorrowedFd<'_>, setup: UinputAbsSetup) -> Result<()> {
    // SAFETY: the structure has the size in the opcode (asserted above) and the kernel only reads it.
    unsafe { ioctl::ioctl(fd, Setter::<ABS_SETUP, _>::new(setup)) }
}

/// Declares identity and name.
pub fn set_up(fd: BorrowedFd<'_>, setup: UinputSetup) -> Result<()> {
    // SAFETY: as for `set_abs`.
    unsafe { ioctl::ioctl(fd, Setter::<DEV_SETUP, _>::new(setup)) }
}

/// Declares the physical path.
pub fn set_phys(fd: BorrowedFd<'_>, phys: &std::ffi::CStr) -> Result<()> {
    // SAFETY: the kernel copies a string that ends in NUL, which a `CStr` does, and it outlives the call.
    unsafe { ioctl::ioctl(fd, IntegerSetter::<SET_PHYS>::new_usize(phys.as_ptr() as usize)) }
}

/// Makes the device.
pub fn create(fd: BorrowedFd<'_>) -> Result<()> {
    // SAFETY: it takes no argument.
    unsafe { ioctl::ioctl(fd, NoArg::<DEV_CREATE>::new()) }
}

/// The name of the device under `/sys/devices/virtual/input`.
pub fn sysname(fd: BorrowedFd<'_>) -> Result<String> {
    // SAFETY: the kernel writes at most the 64 bytes that the opcode names.
    let name: [u8; 64] = unsafe { ioctl::ioctl(fd, Getter::<GET_SYSNAME, [u8; 64]>::new())? };
    let end = name.iter().position(|byte| *byte == 0).unwrap_or(name.len());
    String::from_utf8(name[..end].to_vec()).map_err(|_| Errno::INVAL)
}

/// Fetches an effect that a game uploads.
pub fn begin_upload(fd: BorrowedFd<'_>, upload: &mut FfUpload) -> Result<()> {
    // SAFETY: the kernel fills in a structure of the size in the opcode.
    unsafe { ioctl::ioctl(fd, Updater::<BEGIN_UPLOAD, _>::new(upload)) }
}

/// Answers the upload; until then the game waits.
pub fn end_upload(fd: BorrowedFd<'_>, upload: FfUpload) -> Result<()> {
    // SAFETY: the kernel only reads a structure of the size in the opcode.
    unsafe { ioctl::ioctl(fd, Setter::<END_UPLOAD, _>::new(upload)) }
}

/// Fetches an effect that a game erases.
pub fn begin_erase(fd: BorrowedFd<'_>, erase: &mut FfErase) -> Result<()> {
    // SAFETY: as for `begin_upload`.
    unsafe { ioctl::ioctl(fd, Updater::<BEGIN_ERASE, _>::new(erase)) }
}

/// Answers the erasing.
pub fn end_erase(fd: BorrowedFd<'_>, erase: FfErase) -> Result<()> {
    // SAFETY: as for `end_upload`.
    unsafe { ioctl::ioctl(fd, Setter::<END_ERASE, _>::new(erase)) }
}

/// Uploads an effect to a device, or changes one; sets its number.
pub fn send_effect(fd: BorrowedFd<'_>, effect: &mut FfEffect) -> Result<()> {
    // SAFETY: the kernel reads a structure of the size in the opcode, and writes nothing but the number in it.
    unsafe { ioctl::ioctl(fd, Updater::<SEND_EFFECT, _>::new(effect)) }
}

/// Grabs an input node, until it is closed or released.
pub fn grab(fd: BorrowedFd<'_>) -> Result<()> {
    // SAFETY: it takes a plain integer.
    unsafe { ioctl::ioctl(fd, IntegerSetter::<GRAB>::new_usize(1)) }
}

/// Gives an input node back.
pub fn ungrab(fd: BorrowedFd<'_>) -> Result<()> {
    // SAFETY: it takes a plain integer.
    unsafe { ioctl::ioctl(fd, IntegerSetter::<GRAB>::new_usize(0)) }
}

/// The value and range of an absolute axis of an input node.
pub fn abs_info(fd: BorrowedFd<'_>, code: u16) -> Result<AbsInfo> {
    // SAFETY: the kernel writes one structure of the size in the opcode.
    unsafe { ioctl::ioctl(fd, OfAxis { code, info: AbsInfo::default(), write: false }) }
}

/// Sets the value and range of an absolute axis of an input node.
pub fn set_abs_info(fd: BorrowedFd<'_>, code: u16, info: AbsInfo) -> Result<()> {
    // SAFETY: the kernel reads one structure of the size in the opcode.
    unsafe { ioctl::ioctl(fd, OfAxis { code, info, write: true }).map(drop) }
}

/// One value of each touch contact, as many as there is room for.
pub fn contacts(fd: BorrowedFd<'_>, code: u16) -> Result<[i32; CONTACTS]> {
    let mut slots = Slots { code: code.into(), values: [0; CONTACTS] };
    // SAFETY: the kernel reads the code and writes at most the bytes that the opcode names.
    unsafe { ioctl::ioctl(fd, Updater::<GET_SLOTS, _>::new(&mut slots))? };
    Ok(slots.values)
}

struct OfAxis {
    code: u16,
    info: AbsInfo,
    write: bool,
}

// SAFETY: the opcode names the size of the structure that the pointer leads to, and the kernel touches nothing else.
unsafe impl ioctl::Ioctl for OfAxis {
    type Output = AbsInfo;
    const IS_MUTATING: bool = true;

    fn opcode(&self) -> Opcode {
        let code = (self.code & 0x3f) as u8;
        if self.write {
            opcode::write::<AbsInfo>(EVDEV, 0xc0 + code)
        } else {
            opcode::read::<AbsInfo>(EVDEV, 0x40 + code)
        }
    }

    fn as_ptr(&mut self) -> *mut std::ffi::c_void {
        std::ptr::from_mut(&mut self.info).cast()
    }

    unsafe fn output_from_ptr(_: ioctl::IoctlOutput, at: *mut std::ffi::c_void) -> Result<AbsInfo> {
        // SAFETY: it is the pointer that `as_ptr` gave.
        Ok(unsafe { *at.cast::<AbsInfo>() })
    }
}

/// The keys that are down on an input node, one bit each.
pub fn keys_down(fd: BorrowedFd<'_>) -> Result<[u8; 96]> {
    // SAFETY: the kernel writes at most the 96 bytes that the opcode names.
    unsafe { ioctl::ioctl(fd, Getter::<GET_KEYS, [u8; 96]>::new()) }
}

/// Sets a feature report: its id first, 0 if reports have none.
pub fn set_feature(fd: BorrowedFd<'_>, bytes: &[u8]) -> Result<usize> {
    let mut bytes = bytes.to_vec();
    // SAFETY: the opcode names the length of the buffer, and the kernel only reads it.
    unsafe { ioctl::ioctl(fd, Feature { number: 0x06, bytes: &mut bytes }) }
}

/// Gets the feature report whose id is the first byte; returns its length.
pub fn get_feature(fd: BorrowedFd<'_>, bytes: &mut [u8]) -> Result<usize> {
    // SAFETY: the opcode names the length of the buffer, and the kernel writes no more.
    unsafe { ioctl::ioctl(fd, Feature { number: 0x07, bytes }) }
}

/// Asks a device for an input report; the first byte is its id, 0 if there are none.
pub fn get_input(fd: BorrowedFd<'_>, bytes: &mut [u8]) -> Result<usize> {
    // SAFETY: the opcode names the length of the buffer, and the kernel writes no more.
    unsafe { ioctl::ioctl(fd, Feature { number: 0x0a, bytes }) }
}

struct Feature<'a> {
    number: u8,
    bytes: &'a mut [u8],
}

// SAFETY: the opcode names the length of the buffer that the pointer leads to, and the kernel touches nothing else.
unsafe impl ioctl::Ioctl for Feature<'_> {
    type Output = usize;
    const IS_MUTATING: bool = true;

    fn opcode(&self) -> Opcode {
        opcode::from_components(ioctl::Direction::ReadWrite, HIDRAW, self.number, self.bytes.len())
    }

    fn as_ptr(&mut self) -> *mut std::ffi::c_void {
        self.bytes.as_mut_ptr().cast()
    }

    unsafe fn output_from_ptr(output: ioctl::IoctlOutput, _: *mut std::ffi::c_void) -> Result<usize> {
        Ok(usize::try_from(output).unwrap_or(0))
    }
}
