// Triangles.
#include "kernel/shim/inner.h"
#include "kernel/shim/shim.h"
#include "kernel/src/bridge.rs.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom2d_Line.hxx>
#include <IMeshTools_Parameters.hxx>
#include <Message_ProgressIndicator.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <algorithm>
#include <cmath>
#include <vector>

namespace goldchip {
namespace {
// How many chords of this height follow a line of constant parameter over a face.
double chords(const BRepAdaptor_Surface &s, bool along_u, double fixed, double from, double to, double chord, double angle) {
  const int n = 48;
  double sum = 0.0;
  for (int k = 0; k < n; ++k) {
    const double t = from + (to - from) * (k + 0.5) / n;
    gp_Pnt p;
    gp_Vec du, dv, duu, dvv, duv;
    s.D2(along_u ? t : fixed, along_u ? fixed : t, p, du, dv, duu, dvv, duv);
    const gp_Vec &v = along_u ? du : dv, &w = along_u ? duu : dvv;
    const double speed = v.Magnitude();
    if (speed < 1e-9) continue;
    const double bend = v.Crossed(w).Magnitude() / (speed * speed * speed);
    if (bend > 1e-9) sum += speed * std::abs(to - from) / n / std::min(std::sqrt(8.0 * chord / bend), angle / bend);
  }
  return std::max(1.0, sum);
}

// Nodes that the free faces will need, as a grid over each.
double free_nodes(const TopoDS_Shape &shape, double chord, double angle) {
  double sum = 0.0;
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    const TopoDS_Face face = TopoDS::Face(e.Current());
    BRepAdaptor_Surface s(face, Standard_True);
    if (s.GetType() == GeomAbs_Plane || s.GetType() == GeomAbs_Cylinder || s.GetType() == GeomAbs_Cone) continue;
    double u0, u1, v0, v1, nu = 1.0, nv = 1.0;
    BRepTools::UVBounds(face, u0, u1, v0, v1);
    for (double q : {0.1, 0.3, 0.5, 0.7, 0.9}) {
      nu = std::max(nu, chords(s, true, v0 + (v1 - v0) * q, u0, u1, chord, angle));
      nv = std::max(nv, chords(s, false, u0 + (u1 - u0) * q, v0, v1, chord, angle));
    }
    // Nodes of balls and rings cost about a third of those of splines.
    sum += nu * nv * (s.GetType() == GeomAbs_Sphere || s.GetType() == GeomAbs_Torus ? 0.3 : 1.0);
  }
  return sum;
}

// The mesher asks between its steps whether it should stop: so its work is bounded by a count, the same on every machine.
class Patience : public Message_ProgressIndicator {
public:
  explicit Patience(long steps) : left(steps) {}
  Standard_Boolean UserBreak() override { return --left < 0; }
  void Show(const Message_ProgressScope &, const Standard_Boolean) override {}
  bool over() const { return left < 0; }

private:
  long left;
};

// Nodes of free faces that are afforded, and steps of the mesher: fewer where there are splines, some of which it refines without need.
constexpr double FREE_NODES = 3000.0;
constexpr long MESH_STEPS = 60000, SPLINE_STEPS = 12000;

// Of several numbers that mean the same place, always the first.
double first_of(std::vector<double> &seen, double v) {
  for (double s : seen)
    if (std::abs(s - v) < 1e-9) return s;
  seen.push_back(v);
  return v;
}

// A line of the parameters from and to exactly these places; as it was where it is neither upright nor level.
Handle(Geom2d_Curve) straight(const Handle(Geom2d_Curve) &c, double from, double to, std::vector<double> &us, std::vector<double> &vs) {
  if (c.IsNull() || c->DynamicType() != STANDARD_TYPE(Geom2d_Line)) return c;
  const gp_Pnt2d p = c->Value(from), q = c->Value(to);
  const double pu = first_of(us, p.X()), pv = first_of(vs, p.Y()), qu = first_of(us, q.X()), qv = first_of(vs, q.Y());
  if ((pu == qu) == (pv == qv)) return c;
  const gp_Dir2d d = pu == qu ? gp_Dir2d(0.0, qv > pv ? 1.0 : -1.0) : gp_Dir2d(qu > pu ? 1.0 : -1.0, 0.0);
  return new Geom2d_Line(gp_Pnt2d(pu - from * d.X(), pv - from * d.Y()), d);
}

// Where the lines round a closed cylinder or cone miss each other by some 1e-14 the mesher takes them for crossing, refines them over and
// over and gives the face up. They are laid through one another's ends; nothing moves by more than 1e-9 of a parameter.
void straighten(const TopoDS_Face &any_side) {
  const TopoDS_Face face = TopoDS::Face(any_side.Oriented(TopAbs_FORWARD));
  const GeomAbs_SurfaceType type = BRepAdaptor_Surface(face, Standard_False).GetType();
  if (type != GeomAbs_Cylinder && type != GeomAbs_Cone) return;
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(face, TopAbs_EDGE, edges);
  bool seam = false;
  for (int k = 1; k <= edges.Extent(); ++k) seam |= BRep_Tool::IsClosed(TopoDS::Edge(edges(k)), face);
  if (!seam) return;
  BRep_Builder build;
  std::vector<double> us, vs;
  for (int k = 1; k <= edges.Extent(); ++k) {
    const TopoDS_Edge edge = TopoDS::Edge(edges(k).Oriented(TopAbs_FORWARD));
    if (BRep_Tool::Degenerated(edge)) continue;
    double from, to;
    const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(edge, face, from, to);
    const Handle(Geom2d_Curve) line = straight(c, from, to, us, vs);
    if (BRep_Tool::IsClosed(edge, face)) {
      const TopoDS_Edge back = TopoDS::Edge(edge.Oriented(TopAbs_REVERSED));
      const Handle(Geom2d_Curve) d = BRep_Tool::CurveOnSurface(back, face, from, to);
      const Handle(Geom2d_Curve) other = straight(d, from, to, us, vs);
      if (line != c || other != d) build.UpdateEdge(edge, line, other, face, BRep_Tool::Tolerance(edge));
    } else if (line != c) {
      build.UpdateEdge(edge, line, face, BRep_Tool::Tolerance(edge));
    }
    build.Range(edge, face, from, to);
  }
}

} // namespace

double mesh(const TopoDS_Shape &shape, double chord, double angle, bool sturdy) {
  const double nodes = free_nodes(shape, chord, angle);
  // Their number goes with 1 / chord.
  if (nodes > FREE_NODES) chord *= nodes / FREE_NODES;
  TopTools_IndexedMapOfShape faces;
  TopExp::MapShapes(shape, TopAbs_FACE, faces);
  for (int k = 1; k <= faces.Extent(); ++k) straighten(TopoDS::Face(faces(k)));
  long steps = MESH_STEPS;
  for (int k = 1; k <= faces.Extent(); ++k)
    if (BRepAdaptor_Surface(TopoDS::Face(faces(k)), Standard_False).GetType() >= GeomAbs_BezierSurface) steps = SPLINE_STEPS;
  steps += 30L * faces.Extent();
  IMeshTools_Parameters params;
  params.Angle = angle;
  params.InParallel = faces.Extent() > 800;
  // The same triangles in an eighth of the time; the caller looks whether all is there and asks for the sturdy one if not.
  if (!sturdy) params.MeshAlgo = IMeshTools_MeshAlgoType_Delabella;
  for (int turn = 0;; ++turn) {
    params.Deflection = chord;
    Handle(Patience) patience = new Patience(turn == 3 ? 50 * steps : steps);
    BRepMesh_IncrementalMesh m;
    m.SetShape(shape);
    m.ChangeParameters() = params;
    m.Perform(patience->Start());
    if (!patience->over() || turn == 3) return chord;
    BRepTools::Clean(shape);
    chord *= 5.0;
  }
}
} // namespace goldchip
