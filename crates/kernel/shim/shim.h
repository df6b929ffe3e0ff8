// The thin layer over OpenCASCADE. Every function throws std::runtime_error with one plain sentence; nothing else leaves it.
#pragma once
#include "rust/cxx.h"
#include <Standard_Failure.hxx>
#include <TopoDS_Shape.hxx>
#include <array>
#include <cstddef>
#include <exception>
#include <memory>
#include <string>

// Standard_Failure is no std::exception; cxx would end the process. Must be seen before the generated code.
namespace rust { namespace behavior {
template <typename Try, typename Fail> static void trycatch(Try &&func, Fail &&fail) noexcept {
  try {
    func();
  } catch (const Standard_Failure &e) {
    const char *m = e.GetMessageString();
    fail(std::string("the geometry kernel failed: ") + (m && *m ? m : e.DynamicType()->Name()));
  } catch (const std::exception &e) {
    fail(e.what());
  } catch (...) {
    fail("the geometry kernel failed without a word");
  }
}
}} // namespace rust::behavior

namespace goldchip {
struct RawModel;
struct Care;
struct Solid {
  TopoDS_Shape shape;
};
using P3 = std::array<double, 3>;

// Load what reading needs, so that a reader that waits is quick.
void warm_up();
RawModel read_step(rust::Slice<const uint8_t> bytes, double chord_mm, double angle_rad, Care care);
RawModel read_solid(const Solid &solid, double chord_mm, double angle_rad, bool sturdy);
double plain_read(rust::Str path, double chord_mm, double angle_rad);
std::unique_ptr<Solid> make_box(P3 min, P3 max);
std::unique_ptr<Solid> make_cylinder(P3 base, P3 axis, double radius, double height);
std::unique_ptr<Solid> make_cone(P3 base, P3 axis, double radius_base, double radius_top, double height);
// outline: 5 numbers a segment: end x, end y, kind (0 line, 1 arc), arc middle x, y. It starts at the last end.
std::unique_ptr<Solid> make_prism(rust::Slice<const double> outline, double z0, double z1);
// Outlines of the same number of pieces, one at each height, joined by smooth faces.
std::unique_ptr<Solid> make_loft(rust::Slice<const double> outlines, size_t pieces, rust::Slice<const double> heights);
std::unique_ptr<Solid> make_ball(P3 centre, double radius);
std::unique_ptr<Solid> fuse(const Solid &a, const Solid &b);
std::unique_ptr<Solid> cut(const Solid &a, const Solid &b);
// All edges that lie wholly inside the box are treated.
std::unique_ptr<Solid> chamfer_edges(const Solid &a, double size, P3 box_min, P3 box_max);
std::unique_ptr<Solid> fillet_edges(const Solid &a, double radius, P3 box_min, P3 box_max);
std::unique_ptr<Solid> moved(const Solid &a, P3 turn_axis, double turn_rad, P3 shift);
// Number from 0 in the order of read_step; all lengths times scale.
std::unique_ptr<Solid> step_solid(rust::Slice<const uint8_t> bytes, size_t number, double scale);
// The solids of both, not joined.
std::unique_ptr<Solid> beside(const Solid &a, const Solid &b);
// The same solid with every face and edge stored as a spline.
std::unique_ptr<Solid> as_splines(const Solid &a);
// Its faces without those that lie wholly inside the box: surfaces, no solid.
std::unique_ptr<Solid> without_faces(const Solid &a, P3 box_min, P3 box_max);
double volume(const Solid &a);
rust::Vec<uint8_t> to_step(const Solid &a);
} // namespace goldchip
