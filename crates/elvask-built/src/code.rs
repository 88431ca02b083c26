//! The entitlements in the signature of a program for iOS.
//!
//! Source: `cs_blobs.h`; numbers have the highest byte first.

use object::macho::{LC_CODE_SIGNATURE, MachHeader64};
use object::read::macho::{FatArch as _, MachHeader as _, MachOFatFile32};
use object::{Endianness, ReadRef as _};

/// What holds all parts of a signature.
const SUPER_BLOB: u32 = 0xfade_0cc0;
/// The entitlements as a property list in XML.
const ENTITLEMENTS: u32 = 0xfade_7171;

/// Returns the property list of the entitlements that a program is signed with.
pub(crate) fn entitlements(program: &[u8]) -> Option<Vec<u8>> {
    if let Ok(fat) = MachOFatFile32::parse(program) {
        return fat.arches().iter().find_map(|arch| of_program(arch.data(program).ok()?));
    }
    of_program(program)
}

fn of_program(program: &[u8]) -> Option<Vec<u8>> {
    let header = MachHeader64::<Endianness>::parse(program, 0).ok()?;
    let endian = header.endian().ok()?;
    let mut commands = header.load_commands(endian, program, 0).ok()?;
    while let Ok(Some(command)) = commands.next() {
        if command.cmd() != LC_CODE_SIGNATURE {
            continue;
        }
        let place = command.data::<object::macho::LinkeditDataCommand<Endianness>>().ok()?;
        let (at, size) = (u64::from(place.dataoff.get(endian)), u64::from(place.datasize.get(endian)));
        return of_signature(program.read_bytes_at(at, size).ok()?);
    }
    None
}

fn of_signature(signature: &[u8]) -> Option<Vec<u8>> {
    let number = |at: usize| -> Option<u32> {
        let four: [u8; 4] = signature.get(at..at.checked_add(4)?)?.try_into().ok()?;
        Some(u32::from_be_bytes(four))
    };
    if number(0)? != SUPER_BLOB {
        return None;
    }
    let count = usize::try_from(number(8)?).ok().filter(|count| *count <= signature.len() / 8)?;
    (0..count).find_map(|at| {
        let offset = usize::try_from(number(12 + at * 8 + 4)?).ok()?;
        let len = usize::try_from(number(offset + 4)?).ok()?;
        let is_it = number(offset)? == ENTITLEMENTS;
        is_it.then(|| signature.get(offset + 8..offset.checked_add(len)?).map(<[u8]>::to_vec)).flatten()
    })
}
