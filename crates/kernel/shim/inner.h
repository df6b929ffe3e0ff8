// What the files of the shim share.
#pragma once
#include <Standard_Transient.hxx>
#include <TopoDS_Shape.hxx>
#include "rust/cxx.h"
#include <cstdint>
#include <streambuf>
#include <unordered_set>
#include <vector>

namespace goldchip {
// The kernel prints nothing.
void quiet();
// Bytes in memory as a stream.
struct Bytes : std::streambuf {
  explicit Bytes(rust::Slice<const uint8_t> b) {
    char *p = const_cast<char *>(reinterpret_cast<const char *>(b.data()));
    setg(p, p, p + b.size());
  }
};
// Mesh, as finely as wished where that is affordable, coarser where not; the chord height that was used, mm. Sturdy: by the slower triangulation.
double mesh(const TopoDS_Shape &shape, double chord, double angle, bool sturdy);

// What became of loose surfaces.
struct Closed {
  TopoDS_Shape shape;
  std::unordered_set<const Standard_Transient *> caps;
  uint32_t sewn = 0;
  std::vector<double> openings;
};
// Loose surfaces become solids where they close, after sewing, or after flat caps over openings whose border lies in a plane.
Closed close_up(const TopoDS_Shape &shape);
} // namespace goldchip
