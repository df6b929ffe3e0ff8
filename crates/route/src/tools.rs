//! Which cutter.

use geom::Region;
use part::View;
use reason::Sure;
use shop::tool::{Tool, ToolKind};

/// Corner radius that the cutter should stay below: R ≤ 0.8 × corner (common practice, no source).
pub(crate) const CORNER_SHARE: f64 = 0.8;

/// Highest height above `from` up to which something stays within `margin` of a region when all is roughed. `levels` are the heights at
/// which clearing ends, from the top down, the upper end of the stock first: between two of them stays what the lower one's shadow
/// covers, so that a slant stands as a prism up to its upper end.
pub(crate) fn local_top(view: &View, region: &Region, margin: f64, from: f64, levels: &[f64]) -> f64 {
    let near = region.grown(margin, 0.02);
    levels
        .windows(2)
        .take_while(|w| w[0] > from + 1e-6)
        .find(|w| view.shadow(Sure::at_least(w[1], from) + part::OFF_FLOOR).intersect(&near).area() > 1e-3)
        .map_or(from, |w| w[0])
}

/// End mills that reach `low` in the region, largest first: flutes longer than the wall beside it, holder clear of all around.
pub(crate) fn end_mills<'a>(crib: &'a [Tool], view: &View, region: &Region, low: f64, levels: &[f64]) -> Vec<&'a Tool> {
    let wall = local_top(view, region, 0.3, low, levels) - low;
    let mut out: Vec<&Tool> = crib
        .iter()
        .filter(|t| t.kind == ToolKind::Flat && t.flute_length_mm >= wall + 0.2)
        .filter(|t| {
            let widest = t.holder.iter().map(|p| p.diameter_mm).fold(t.shank_diameter_mm, Sure::at_least) / 2.0;
            let around = local_top(view, region, widest + 1.0, low, levels);
            t.stickout_mm >= around - low + 1.0
        })
        .collect();
    // The larger first; of the same diameter the shorter, which is stiffer.
    out.sort_by(|a, b| b.diameter_mm.total_cmp(&a.diameter_mm).then(a.stickout_mm.total_cmp(&b.stickout_mm)));
    out.dedup_by(|a, b| a.diameter_mm == b.diameter_mm);
    out
}

/// What a cutter of radius `r` leaves of a region, without slivers of less than twice `fine` in width.
pub(crate) fn rest(region: &Region, r: f64, fine: f64) -> Region {
    region.minus(&region.opened(r, 0.0008)).opened(fine, 0.1 * fine)
}

/// The finishing cutter: the largest that leaves nothing with some room in the corners, else the largest that leaves nothing, else
/// the one that leaves least.
pub(crate) fn finisher<'a>(mills: &[&'a Tool], region: &Region, fine: f64) -> Option<(&'a Tool, Region)> {
    let nothing = 0.2 * fine;
    // Corners of the border only matter where the region is bounded by the part; the arena's outer corners are far away and convex.
    let easy = mills.iter().find(|t| rest(region, t.radius() / CORNER_SHARE, fine).area() < nothing);
    let exact = || mills.iter().find(|t| rest(region, t.radius(), fine).area() < nothing);
    if let Some(t) = easy.or_else(exact) {
        return Some((t, Region::empty()));
    }
    let mut best: Option<(&Tool, Region, f64)> = None;
    for t in mills {
        let left = rest(region, t.radius(), fine);
        let area = left.area();
        if best.as_ref().is_none_or(|b| area < b.2 * 0.98) {
            best = Some((t, left, area));
        }
    }
    best.map(|(t, left, _)| (t, left))
}

/// Roughing cutters for a region, down to the finishing cutter: the largest that can get in and clears most, then what is needed
/// for the rest.
pub(crate) fn roughers<'a>(
    mills: &[&'a Tool],
    region: &Region,
    finish: &'a Tool,
    skin: f64,
    largest: f64,
) -> Vec<&'a Tool> {
    let total = region.area();
    let mut out: Vec<&Tool> = Vec::new();
    let mut cleared = 0.0;
    for t in mills.iter().filter(|t| t.diameter_mm <= largest && t.diameter_mm >= finish.diameter_mm) {
        let reach = region.shrunk(t.radius() + skin, 0.005);
        // Room for a helix or a stroke, not a slot as wide as the cutter.
        let roomy = reach.opened(0.12 * t.diameter_mm, 0.01);
        let area = roomy.grown(t.radius() + skin, 0.01).area();
        let gain = (area - cleared) / total;
        if out.is_empty() && gain > 0.5
            || !out.is_empty() && gain > 0.08 && out[out.len() - 1].diameter_mm >= 1.6 * t.diameter_mm
        {
            out.push(t);
            cleared = area;
        }
    }
    if !out.iter().any(|t| t.number == finish.number) {
        let rest = region.minus(
            &out.last()
                .map_or(Region::empty(), |t| region.shrunk(t.radius() + skin, 0.005).grown(t.radius() + skin, 0.01)),
        );
        // Less than a skin's worth in the corners is the finishing pass' own business.
        if out.is_empty() || rest.opened(0.3, 0.01).area() > 0.05 {
            out.push(finish);
        }
    }
    out
}
