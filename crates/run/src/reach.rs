//! Where a zero may stand so that a program stays within the machine's travel.

use geom::DVec3;
use program::Program;
use reason::Sure;
use shop::machine::Machine;
use shop::tool::Tool;

/// Least and most of each axis of the zero, machine coordinates, mm: the program's own extent taken from the travel. Moves in machine coordinates hang on no
/// zero. An axis that the program does not move is free within the travel.
pub fn of(program: &Program, tools: &[Tool], machine: &Machine) -> [[f64; 2]; 3] {
    let mut extent = [[f64::INFINITY, f64::NEG_INFINITY]; 3];
    for s in program.steps.iter().filter(|s| s.moves() && !s.machine) {
        let length = match s.length_offset {
            Some(_) => tools.iter().find(|t| t.number == s.tool).map_or(0.0, Tool::gauge_length),
            None => 0.0,
        };
        let arc = matches!(s.shape, program::Shape::Arc { .. });
        // Where it ends counts: where it begins another ended, perhaps in machine coordinates. An arc is looked at in eighths.
        for k in if arc { 1..=8 } else { 8..=8 } {
            let at = s.at(f64::from(k) / 8.0) + DVec3::Z * length;
            for (axis, e) in extent.iter_mut().enumerate() {
                if (s.to[axis] - s.from[axis]).abs() > 1e-9 || (arc && axis < 2) {
                    e[0] = e[0].at_most(at[axis]);
                    e[1] = e[1].at_least(at[axis]);
                }
            }
        }
    }
    [0, 1, 2].map(|k| {
        let (lo, hi) = (machine.travel_min_mm[k], machine.travel_max_mm[k]);
        if extent[k][0] > extent[k][1] { [lo, hi] } else { [lo - extent[k][0], hi - extent[k][1]] }
    })
}
