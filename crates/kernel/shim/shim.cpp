#include "kernel/shim/shim.h"
#include "kernel/src/bridge.rs.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Copy.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeSolid.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_NurbsConvert.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepClass_FaceClassifier.hxx>
#include <BRepFilletAPI_MakeChamfer.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepGProp.hxx>
#include <BRepLProp_SLProps.hxx>
#include <BRepLib.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <GCPnts_AbscissaPoint.hxx>
#include <GProp_GProps.hxx>
#include <Interface_Check.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Message_Printer.hxx>
#include <Message_ProgressIndicator.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <Quantity_Color.hxx>
#include <IMeshTools_Parameters.hxx>
#include <Resource_Manager.hxx>
#include <STEPConstruct.hxx>
#include <STEPControl_Controller.hxx>
#include <STEPConstruct_Styles.hxx>
#include <STEPControl_Reader.hxx>
#include <STEPControl_Writer.hxx>
#include <ShapeAnalysis_FreeBounds.hxx>
#include <ShapeFix_Face.hxx>
#include <ShapeProcess_Context.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <StepBasic_Product.hxx>
#include <StepBasic_ProductDefinition.hxx>
#include <StepBasic_ProductDefinitionFormation.hxx>
#include <StepData_StepModel.hxx>
#include <StepRepr_PropertyDefinition.hxx>
#include <StepShape_ShapeDefinitionRepresentation.hxx>
#include <StepShape_ShapeRepresentation.hxx>
#include <StepShape_SolidModel.hxx>
#include <StepVisual_Colour.hxx>
#include <StepVisual_StyledItem.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_HSequenceOfShape.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <Interface_EntityIterator.hxx>
#include <Interface_Graph.hxx>
#include <Transfer_TransientProcess.hxx>
#include <XSControl_TransferReader.hxx>
#include <XSControl_WorkSession.hxx>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <stdexcept>
#include <unordered_map>
#include <unordered_set>
#include <vector>

namespace goldchip {
namespace {

void quiet() { Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_Printer)); }

void push(rust::Vec<double> &v, const gp_XYZ &p) {
  v.push_back(p.X());
  v.push_back(p.Y());
  v.push_back(p.Z());
}

uint8_t face_kind(const BRepAdaptor_Surface &s, rust::Vec<double> &n) {
  switch (s.GetType()) {
  case GeomAbs_Plane: {
    gp_Pln p = s.Plane();
    push(n, p.Location().XYZ());
    push(n, p.Axis().Direction().XYZ());
    return 0;
  }
  case GeomAbs_Cylinder: {
    gp_Cylinder c = s.Cylinder();
    push(n, c.Location().XYZ());
    push(n, c.Axis().Direction().XYZ());
    n.push_back(c.Radius());
    return 1;
  }
  case GeomAbs_Cone: {
    gp_Cone c = s.Cone();
    push(n, c.Location().XYZ());
    push(n, c.Axis().Direction().XYZ());
    n.push_back(c.RefRadius());
    n.push_back(0.0);
    n.push_back(c.SemiAngle());
    return 2;
  }
  case GeomAbs_Sphere: {
    gp_Sphere c = s.Sphere();
    push(n, c.Location().XYZ());
    push(n, c.Position().Direction().XYZ());
    n.push_back(c.Radius());
    return 3;
  }
  case GeomAbs_Torus: {
    gp_Torus c = s.Torus();
    push(n, c.Location().XYZ());
    push(n, c.Axis().Direction().XYZ());
    n.push_back(c.MajorRadius());
    n.push_back(c.MinorRadius());
    return 4;
  }
  default:
    return 9;
  }
}

// What the file says beside the geometry, by the shape that it belongs to wherever that is placed.
struct Notes {
  std::unordered_map<const Standard_Transient *, std::string> names;
  std::unordered_map<const Standard_Transient *, int32_t> colours;
};

std::string words(const Handle(TCollection_HAsciiString) &s) { return s.IsNull() ? std::string() : std::string(s->ToCString()); }

// What writers put where nobody gave a name.
bool says_nothing(const std::string &s) { return s.empty() || s.find("STEP translator") != std::string::npos || s == "NONE" || s == "None" || s == "none" || s == " "; }

// The product that a solid's representation belongs to.
std::string product_of(const Interface_Graph &graph, const Handle(Standard_Transient) &solid) {
  for (Interface_EntityIterator reps = graph.Sharings(solid); reps.More(); reps.Next()) {
    Handle(StepShape_ShapeRepresentation) rep = Handle(StepShape_ShapeRepresentation)::DownCast(reps.Value());
    if (rep.IsNull()) continue;
    for (Interface_EntityIterator defs = graph.Sharings(rep); defs.More(); defs.Next()) {
      Handle(StepShape_ShapeDefinitionRepresentation) sdr = Handle(StepShape_ShapeDefinitionRepresentation)::DownCast(defs.Value());
      if (sdr.IsNull()) continue;
      Handle(StepRepr_PropertyDefinition) prop = sdr->Definition().PropertyDefinition();
      if (prop.IsNull()) continue;
      Handle(StepBasic_ProductDefinition) pd = prop->Definition().ProductDefinition();
      if (pd.IsNull() || pd->Formation().IsNull() || pd->Formation()->OfProduct().IsNull()) continue;
      const std::string name = words(pd->Formation()->OfProduct()->Name());
      if (!says_nothing(name)) return name;
    }
  }
  return {};
}

Notes notes_of(const STEPControl_Reader &reader) {
  Notes out;
  Handle(XSControl_WorkSession) ws = reader.WS();
  if (ws.IsNull() || ws->TransferReader().IsNull()) return out;
  Handle(Transfer_TransientProcess) process = ws->TransferReader()->TransientProcess();
  Handle(Interface_InterfaceModel) model = ws->Model();
  if (process.IsNull() || model.IsNull()) return out;
  const Interface_Graph &graph = process->Graph();
  for (int i = 1; i <= model->NbEntities(); ++i) {
    Handle(StepShape_SolidModel) solid = Handle(StepShape_SolidModel)::DownCast(model->Value(i));
    if (solid.IsNull()) continue;
    const TopoDS_Shape shape = STEPConstruct::FindShape(process, solid);
    if (shape.IsNull()) continue;
    std::string name = product_of(graph, solid);
    if (says_nothing(name)) name = words(solid->Name());
    if (!says_nothing(name)) out.names.emplace(shape.TShape().get(), name);
  }
  STEPConstruct_Styles styles(ws);
  if (!styles.LoadStyles()) return out;
  for (int i = 1; i <= styles.NbStyles(); ++i) {
    Handle(StepVisual_StyledItem) style = styles.Style(i);
    if (style.IsNull()) continue;
    Handle(StepVisual_Colour) surface, border, curve, render;
    double transparency = 0.0;
    bool component = false;
    if (!styles.GetColors(style, surface, border, curve, render, transparency, component) || surface.IsNull()) continue;
    Quantity_Color c;
    if (!styles.DecodeColor(surface, c)) continue;
    const TopoDS_Shape shape = STEPConstruct::FindShape(process, style->Item());
    if (shape.IsNull()) continue;
    double r, g, b;
    c.Values(r, g, b, Quantity_TOC_sRGB);
    auto byte = [](double v) { return static_cast<int32_t>(std::lround(std::min(1.0, std::max(0.0, v)) * 255.0)); };
    out.colours[shape.TShape().get()] = byte(r) << 16 | byte(g) << 8 | byte(b);
  }
  return out;
}

// Of a free face, at the nodes of its mesh: largest curvature towards the outside (concave) and towards the inside (convex), and places
// with the outward normal (6 numbers each), from which the reader tells whether the face is a plane, cylinder ... that was stored as a spline.
void curvature(const BRepAdaptor_Surface &surface, const Handle(Poly_Triangulation) &t, bool reversed, RawFace &out) {
  out.concave = out.convex = 0.0;
  if (t.IsNull() || !t->HasUVNodes()) return;
  BRepLProp_SLProps props(surface, 2, 1e-9);
  const int step = std::max(1, t->NbNodes() / 4000), sparse = step * std::max(1, t->NbNodes() / step / 400);
  for (int k = 1; k <= t->NbNodes(); k += step) {
    const gp_Pnt2d uv = t->UVNode(k);
    props.SetParameters(uv.X(), uv.Y());
    if (!props.IsNormalDefined()) continue;
    // At a pole, where the lines of one parameter meet, the normal of the parametrisation means nothing.
    const double along = props.D1U().Magnitude(), across = props.D1V().Magnitude();
    const bool pole = std::min(along, across) < 1e-6 * std::max(along, across);
    if ((k - 1) % sparse == 0 && !pole) {
      push(out.samples, props.Value().XYZ());
      push(out.samples, reversed ? props.Normal().Reversed().XYZ() : props.Normal().XYZ());
    }
    if (!props.IsCurvatureDefined()) continue;
    for (double c : {props.MinCurvature(), props.MaxCurvature()}) {
      if (reversed) c = -c;
      if (!std::isfinite(c)) continue;
      out.concave = std::max(out.concave, c);
      out.convex = std::max(out.convex, -c);
    }
  }
}

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

// Mesh, as finely as wished where that is affordable, coarser where not; the chord height that was used.
double mesh(const TopoDS_Shape &shape, double chord, double angle, bool sturdy) {
  const double nodes = free_nodes(shape, chord, angle);
  // Their number goes with 1 / chord.
  if (nodes > FREE_NODES) chord *= nodes / FREE_NODES;
  TopTools_IndexedMapOfShape faces;
  TopExp::MapShapes(shape, TopAbs_FACE, faces);
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

// Surfaces that belong to no solid are sewn where their edges lie within this of each other, mm.
constexpr double SEW = 0.01;

// What became of loose surfaces.
struct Closed {
  TopoDS_Shape shape;
  std::unordered_set<const Standard_Transient *> caps;
  uint32_t sewn = 0;
};

// Flat faces over closed borders; a border within another of the same plane is the inner border of that face.
std::vector<TopoDS_Shape> flat_caps(const TopoDS_Shape &wires) {
  struct Lid {
    TopoDS_Wire wire;
    TopoDS_Face face;
    gp_Pln plane;
    double area;
    int within = 0;
  };
  std::vector<Lid> lids;
  for (TopExp_Explorer w(wires, TopAbs_WIRE); w.More() && lids.size() < 200; w.Next()) {
    BRepBuilderAPI_MakeFace made(TopoDS::Wire(w.Current()), Standard_True);
    if (!made.IsDone()) continue;
    GProp_GProps g;
    BRepGProp::SurfaceProperties(made.Face(), g);
    lids.push_back({TopoDS::Wire(w.Current()), made.Face(), BRepAdaptor_Surface(made.Face()).Plane(), std::abs(g.Mass()), 0});
  }
  std::sort(lids.begin(), lids.end(), [](const Lid &a, const Lid &b) { return a.area > b.area; });
  // The smallest that holds it, and how many do.
  std::vector<int> parent(lids.size(), -1);
  for (size_t k = 0; k < lids.size(); ++k)
    for (size_t o = 0; o < k; ++o) {
      const gp_Pnt at = BRep_Tool::Pnt(TopExp::FirstVertex(TopoDS::Edge(TopExp_Explorer(lids[k].wire, TopAbs_EDGE).Current())));
      if (!lids[k].plane.Axis().IsParallel(lids[o].plane.Axis(), 1e-4) || lids[o].plane.Distance(at) > SEW) continue;
      if (BRepClass_FaceClassifier(lids[o].face, at, SEW).State() != TopAbs_IN) continue;
      parent[k] = static_cast<int>(o);
      ++lids[k].within;
    }
  std::vector<TopoDS_Shape> out;
  for (size_t k = 0; k < lids.size(); ++k) {
    if (lids[k].within % 2) continue;
    BRepBuilderAPI_MakeFace made(lids[k].face);
    for (size_t h = 0; h < lids.size(); ++h)
      if (lids[h].within % 2 && parent[h] == static_cast<int>(k)) made.Add(TopoDS::Wire(lids[h].wire.Reversed()));
    ShapeFix_Face fix(made.Face());
    fix.FixOrientation();
    out.push_back(fix.Face());
  }
  return out;
}

// Loose surfaces become solids where they close, after sewing, or after flat caps over openings whose border lies in a plane.
Closed close_up(const TopoDS_Shape &shape) {
  Closed out;
  out.shape = shape;
  TopTools_IndexedMapOfShape in_solids;
  for (TopExp_Explorer s(shape, TopAbs_SOLID); s.More(); s.Next())
    for (TopExp_Explorer f(s.Current(), TopAbs_FACE); f.More(); f.Next()) in_solids.Add(f.Current());
  std::vector<TopoDS_Shape> loose;
  for (TopExp_Explorer f(shape, TopAbs_FACE); f.More(); f.Next())
    if (!in_solids.Contains(f.Current())) loose.push_back(f.Current());
  if (loose.empty() || loose.size() > 5000) return out;

  BRepBuilderAPI_Sewing first(SEW);
  for (const TopoDS_Shape &f : loose) first.Add(f);
  first.Perform();
  std::vector<TopoDS_Shape> caps;
  if (first.NbFreeEdges() > 0) {
    caps = flat_caps(ShapeAnalysis_FreeBounds(first.SewedShape(), SEW).GetClosedWires());
  }
  BRepBuilderAPI_Sewing second(SEW);
  second.Add(first.SewedShape());
  for (const TopoDS_Shape &c : caps) second.Add(c);
  second.Perform();
  for (const TopoDS_Shape &c : caps) {
    const TopoDS_Shape now = second.IsModified(c) ? second.Modified(c) : c;
    for (TopExp_Explorer f(now, TopAbs_FACE); f.More(); f.Next()) out.caps.insert(f.Current().TShape().get());
  }
  BRep_Builder b;
  TopoDS_Compound all;
  b.MakeCompound(all);
  for (TopExp_Explorer s(shape, TopAbs_SOLID); s.More(); s.Next()) b.Add(all, s.Current());
  for (TopExp_Explorer s(second.SewedShape(), TopAbs_SHELL); s.More(); s.Next()) {
    TopoDS_Shell shell = TopoDS::Shell(s.Current());
    if (!BRep_Tool::IsClosed(shell)) {
      b.Add(all, shell);
      continue;
    }
    TopoDS_Solid solid = BRepBuilderAPI_MakeSolid(shell).Solid();
    BRepLib::OrientClosedSolid(solid);
    b.Add(all, solid);
    ++out.sewn;
  }
  if (out.sewn > 0) out.shape = all;
  return out;
}

struct Union {
  std::vector<uint32_t> parent;
  uint32_t find(uint32_t a) {
    while (parent[a] != a) a = parent[a] = parent[parent[a]];
    return a;
  }
  void join(uint32_t a, uint32_t b) {
    a = find(a);
    b = find(b);
    if (a < b) parent[b] = a;
    else parent[a] = b;
  }
};

std::unique_ptr<Solid> wrap(const TopoDS_Shape &s) {
  if (s.IsNull()) throw std::runtime_error("the modelling step gave no shape");
  return std::make_unique<Solid>(Solid{s});
}

TopoDS_Shape unified(const TopoDS_Shape &s) {
  ShapeUpgrade_UnifySameDomain u(s, Standard_True, Standard_True, Standard_False);
  u.Build();
  return u.Shape();
}

gp_Ax2 ax2(P3 base, P3 axis) { return gp_Ax2(gp_Pnt(base[0], base[1], base[2]), gp_Dir(axis[0], axis[1], axis[2])); }

template <typename Add> void edges_in(const TopoDS_Shape &s, P3 lo, P3 hi, Add add) {
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(s, TopAbs_EDGE, edges);
  int found = 0;
  for (int i = 1; i <= edges.Extent(); ++i) {
    Bnd_Box b;
    BRepBndLib::AddOptimal(edges(i), b, Standard_False, Standard_False);
    double x0, y0, z0, x1, y1, z1;
    b.Get(x0, y0, z0, x1, y1, z1);
    const double e = 1e-4;
    if (x0 >= lo[0] - e && y0 >= lo[1] - e && z0 >= lo[2] - e && x1 <= hi[0] + e && y1 <= hi[1] + e && z1 <= hi[2] + e) {
      add(TopoDS::Edge(edges(i)));
      ++found;
    }
  }
  if (!found) throw std::runtime_error("no edge lies in the box");
}

} // namespace

namespace {

// Mesh a shape and tell its solids, faces and edges.
void describe(const TopoDS_Shape &read, const Notes &notes, double chord_mm, double angle_rad, const Care &care, RawModel &out) {
  const Closed closed = close_up(read);
  const TopoDS_Shape &shape = closed.shape;
  out.sewn = closed.sewn;
  for (TopExp_Explorer e(shape, TopAbs_SHELL, TopAbs_SOLID); e.More(); e.Next()) ++out.loose_shells;
  out.valid = !care.heal || BRepCheck_Analyzer(shape).IsValid();
  out.chord = mesh(shape, chord_mm, angle_rad, care.sturdy);

  TopTools_IndexedMapOfShape faces;
  std::vector<uint32_t> solid_of;
  std::vector<int32_t> colour_of;
  auto colour = [&](const TopoDS_Shape &s, int32_t otherwise) {
    auto it = notes.colours.find(s.TShape().get());
    return it == notes.colours.end() ? otherwise : it->second;
  };
  for (TopExp_Explorer s(shape, TopAbs_SOLID); s.More(); s.Next()) {
    const int32_t whole = colour(s.Current(), -1);
    for (TopExp_Explorer f(s.Current(), TopAbs_FACE); f.More(); f.Next())
      if (faces.Add(f.Current()) > static_cast<int>(solid_of.size())) {
        solid_of.push_back(static_cast<uint32_t>(out.solids.size()));
        colour_of.push_back(colour(f.Current(), whole));
      }
    GProp_GProps g;
    BRepGProp::VolumeProperties(s.Current(), g);
    RawSolid solid{};
    solid.volume = g.Mass();
    auto name = notes.names.find(s.Current().TShape().get());
    if (name != notes.names.end()) solid.name = rust::String::lossy(name->second);
    out.solids.push_back(std::move(solid));
  }

  std::vector<uint32_t> offset(faces.Extent() + 1, 0);
  std::vector<gp_Pnt> nodes;
  for (int i = 1; i <= faces.Extent(); ++i) {
    TopLoc_Location loc;
    Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(TopoDS::Face(faces(i)), loc);
    offset[i - 1] = static_cast<uint32_t>(nodes.size());
    if (t.IsNull()) continue;
    for (int k = 1; k <= t->NbNodes(); ++k) nodes.push_back(t->Node(k).Transformed(loc.Transformation()));
  }
  Union weld;
  weld.parent.resize(nodes.size());
  std::iota(weld.parent.begin(), weld.parent.end(), 0u);

  std::vector<uint32_t> compact(nodes.size(), UINT32_MAX);
  auto vertex = [&](uint32_t n) {
    n = weld.find(n);
    if (compact[n] == UINT32_MAX) {
      compact[n] = static_cast<uint32_t>(out.vertices.size() / 3);
      push(out.vertices, nodes[n].XYZ());
    }
    return compact[n];
  };

  std::vector<std::vector<uint32_t>> lines;
  TopTools_IndexedDataMapOfShapeListOfShape owners;
  TopExp::MapShapesAndUniqueAncestors(shape, TopAbs_EDGE, TopAbs_FACE, owners);
  for (int i = 1; i <= owners.Extent(); ++i) {
    const TopoDS_Edge &edge = TopoDS::Edge(owners.FindKey(i));
    if (BRep_Tool::Degenerated(edge)) continue;
    std::vector<uint32_t> first;
    int uses = 0;
    uint32_t fa = 0, fb = 0;
    for (const TopoDS_Shape &f : owners(i)) {
      const int idx = faces.FindIndex(f);
      if (!idx) continue;
      const TopoDS_Face &face = TopoDS::Face(faces(idx));
      const bool seam = BRep_Tool::IsClosed(edge, face);
      (uses == 0 ? fa : fb) = static_cast<uint32_t>(idx - 1);
      if (uses == 0) fb = fa;
      uses += seam ? 2 : 1;
      TopLoc_Location loc;
      Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(face, loc);
      if (t.IsNull()) continue;
      for (int turn = 0; turn < (seam ? 2 : 1); ++turn) {
        TopoDS_Edge use = edge;
        if (turn) use.Reverse();
        Handle(Poly_PolygonOnTriangulation) poly = BRep_Tool::PolygonOnTriangulation(use, t, loc);
        if (poly.IsNull()) continue;
        std::vector<uint32_t> here;
        for (int k = 1; k <= poly->NbNodes(); ++k) here.push_back(offset[idx - 1] + poly->Node(k) - 1);
        if (first.empty()) first = here;
        else if (first.size() == here.size())
          for (size_t k = 0; k < here.size(); ++k) weld.join(first[k], here[k]);
      }
    }
    if (uses == 0) continue;
    RawEdge e{};
    e.open = uses < 2;
    e.face_a = fa;
    e.face_b = fb;
    BRepAdaptor_Curve curve(edge);
    e.kind = curve.GetType() == GeomAbs_Line ? 0 : curve.GetType() == GeomAbs_Circle ? 1 : 9;
    if (e.kind == 1) {
      const gp_Circ c = curve.Circle();
      push(e.numbers, c.Location().XYZ());
      push(e.numbers, c.Axis().Direction().XYZ());
      e.numbers.push_back(c.Radius());
    }
    e.length = GCPnts_AbscissaPoint::Length(curve);
    lines.push_back(std::move(first));
    out.edges.push_back(std::move(e));
  }
  // Welding is complete only now: numbers of vertices can be given.
  for (size_t i = 0; i < lines.size(); ++i) {
    out.edges[i].first_point = static_cast<uint32_t>(out.edge_points.size());
    for (uint32_t n : lines[i]) out.edge_points.push_back(vertex(n));
    out.edges[i].point_count = static_cast<uint32_t>(lines[i].size());
  }
  for (int i = 1; i <= faces.Extent(); ++i) {
    const TopoDS_Face &face = TopoDS::Face(faces(i));
    RawFace f{};
    f.solid = solid_of[i - 1];
    f.colour = colour_of[i - 1];
    BRepAdaptor_Surface surface(face, Standard_True);
    f.kind = face_kind(surface, f.numbers);
    double u0, u1, v0, v1;
    BRepTools::UVBounds(face, u0, u1, v0, v1);
    for (double b : {u0, u1, v0, v1}) f.bounds.push_back(b);
    GProp_GProps g;
    BRepGProp::SurfaceProperties(face, g);
    f.area = g.Mass();
    f.first_triangle = static_cast<uint32_t>(out.triangles.size() / 3);
    TopLoc_Location loc;
    Handle(Poly_Triangulation) t = BRep_Tool::Triangulation(face, loc);
    f.cap = closed.caps.count(face.TShape().get()) > 0;
    if (f.kind == 9) curvature(surface, t, face.Orientation() == TopAbs_REVERSED, f);
    if (!t.IsNull())
      for (int k = 1; k <= t->NbTriangles(); ++k) {
        int a, b, c;
        t->Triangle(k).Get(a, b, c);
        if (face.Orientation() == TopAbs_REVERSED) std::swap(b, c);
        const uint32_t va = vertex(offset[i - 1] + a - 1), vb = vertex(offset[i - 1] + b - 1), vc = vertex(offset[i - 1] + c - 1);
        if (va == vb || vb == vc || vc == va) continue;
        for (uint32_t v : {va, vb, vc}) out.triangles.push_back(v);
      }
    f.triangle_count = static_cast<uint32_t>(out.triangles.size() / 3) - f.first_triangle;
    out.faces.push_back(std::move(f));
  }
}

} // namespace

double plain_read(rust::Str path, double chord_mm, double angle_rad) {
  quiet();
  STEPControl_Reader reader;
  if (reader.ReadFile(std::string(path.data(), path.size()).c_str()) != IFSelect_RetDone) throw std::runtime_error("not readable");
  reader.TransferRoots();
  TopoDS_Shape shape = reader.OneShape();
  BRepMesh_IncrementalMesh(shape, chord_mm, Standard_False, angle_rad, Standard_False);
  GProp_GProps g;
  BRepGProp::VolumeProperties(shape, g);
  return g.Mass();
}

void warm_up() {
  quiet();
  STEPControl_Controller::Init();
}

RawModel read_step(rust::Str path, double chord_mm, double angle_rad, Care care) {
  warm_up();
  STEPControl_Reader reader;
  // The kernel's healing looks for crossings of every two edges of a face: minutes on faces with thousands of them. The quick sequence does nothing.
  ShapeProcess_Context context;
  context.LoadResourceManager("STEP")->SetResource("Quick.exec.op", "");
  Interface_Static::SetCVal("read.step.sequence", care.heal ? "FromSTEP" : "Quick");
  const std::string file(path.data(), path.size());
  if (reader.ReadFile(file.c_str()) != IFSelect_RetDone)
    throw std::runtime_error("not readable as STEP: damaged, cut off, or another format");
  Handle(StepData_StepModel) model = reader.StepModel();
  if (model.IsNull() || model->NbEntities() == 0) throw std::runtime_error("the STEP file holds no data");
  int bad = 0;
  for (int i = 1; i <= model->NbEntities(); ++i) {
    Handle(Interface_Check) c = model->Check(i, Standard_True);
    if (!c.IsNull() && c->HasFailed()) ++bad;
  }
  if (bad && !care.lax) throw std::runtime_error("STRICT " + std::to_string(bad));

  RawModel out{};
  out.lax = bad > 0;
  TColStd_SequenceOfAsciiString lengths, angles, solid_angles;
  reader.FileUnits(lengths, angles, solid_angles);
  for (int i = 1; i <= lengths.Length(); ++i) out.length_units.push_back(rust::String(lengths(i).ToCString()));
  if (reader.TransferRoots() == 0) throw std::runtime_error("nothing in the STEP file could be turned into geometry");
  TopoDS_Shape shape = reader.OneShape();
  if (shape.IsNull()) throw std::runtime_error("the STEP file holds no shape");

  describe(shape, notes_of(reader), chord_mm, angle_rad, care, out);
  return out;
}

RawModel read_solid(const Solid &solid, double chord_mm, double angle_rad) {
  RawModel out{};
  // A copy without the triangles that an earlier reading may have left.
  describe(BRepBuilderAPI_Copy(solid.shape, Standard_True, Standard_False).Shape(), Notes{}, chord_mm, angle_rad, Care{false, true, false}, out);
  return out;
}

std::unique_ptr<Solid> make_box(P3 a, P3 b) { return wrap(BRepPrimAPI_MakeBox(gp_Pnt(a[0], a[1], a[2]), gp_Pnt(b[0], b[1], b[2])).Shape()); }

std::unique_ptr<Solid> make_cylinder(P3 base, P3 axis, double r, double h) {
  return wrap(BRepPrimAPI_MakeCylinder(ax2(base, axis), r, h).Shape());
}

std::unique_ptr<Solid> make_cone(P3 base, P3 axis, double r0, double r1, double h) {
  return wrap(BRepPrimAPI_MakeCone(ax2(base, axis), r0, r1, h).Shape());
}

namespace {

TopoDS_Wire wire_of(rust::Slice<const double> o, double z) {
  if (o.size() < 10 || o.size() % 5) throw std::runtime_error("an outline needs 5 numbers a segment and two segments");
  BRepBuilderAPI_MakeWire wire;
  gp_Pnt from(o[o.size() - 5], o[o.size() - 4], z);
  for (size_t i = 0; i < o.size(); i += 5) {
    const gp_Pnt to(o[i], o[i + 1], z);
    if (from.Distance(to) > 1e-9) {
      if (o[i + 2] == 0.0) wire.Add(BRepBuilderAPI_MakeEdge(from, to).Edge());
      else wire.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(from, gp_Pnt(o[i + 3], o[i + 4], z), to).Value()).Edge());
    }
    from = to;
  }
  return wire.Wire();
}

} // namespace

std::unique_ptr<Solid> make_loft(rust::Slice<const double> outlines, size_t pieces, rust::Slice<const double> heights) {
  BRepOffsetAPI_ThruSections loft(Standard_True, Standard_False);
  for (size_t k = 0; k < heights.size(); ++k) loft.AddWire(wire_of(rust::Slice<const double>(outlines.data() + 5 * pieces * k, 5 * pieces), heights[k]));
  loft.Build();
  return wrap(loft.Shape());
}

std::unique_ptr<Solid> make_prism(rust::Slice<const double> o, double z0, double z1) {
  return wrap(BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire_of(o, z0), Standard_True).Face(), gp_Vec(0, 0, z1 - z0)).Shape());
}

std::unique_ptr<Solid> make_ball(P3 centre, double r) { return wrap(BRepPrimAPI_MakeSphere(gp_Pnt(centre[0], centre[1], centre[2]), r).Shape()); }

std::unique_ptr<Solid> fuse(const Solid &a, const Solid &b) { return wrap(unified(BRepAlgoAPI_Fuse(a.shape, b.shape).Shape())); }
std::unique_ptr<Solid> cut(const Solid &a, const Solid &b) { return wrap(unified(BRepAlgoAPI_Cut(a.shape, b.shape).Shape())); }

std::unique_ptr<Solid> chamfer_edges(const Solid &a, double size, P3 lo, P3 hi) {
  BRepFilletAPI_MakeChamfer m(a.shape);
  edges_in(a.shape, lo, hi, [&](const TopoDS_Edge &e) { m.Add(size, e); });
  return wrap(m.Shape());
}

std::unique_ptr<Solid> fillet_edges(const Solid &a, double r, P3 lo, P3 hi) {
  BRepFilletAPI_MakeFillet m(a.shape);
  edges_in(a.shape, lo, hi, [&](const TopoDS_Edge &e) { m.Add(r, e); });
  return wrap(m.Shape());
}

std::unique_ptr<Solid> moved(const Solid &a, P3 axis, double angle, P3 shift) {
  gp_Trsf turn, go;
  turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(axis[0], axis[1], axis[2])), angle);
  go.SetTranslation(gp_Vec(shift[0], shift[1], shift[2]));
  return wrap(BRepBuilderAPI_Transform(a.shape, go * turn, Standard_True).Shape());
}

std::unique_ptr<Solid> step_solid(rust::Str path, size_t number, double scale) {
  quiet();
  STEPControl_Reader reader;
  if (reader.ReadFile(std::string(path.data(), path.size()).c_str()) != IFSelect_RetDone || reader.TransferRoots() == 0)
    throw std::runtime_error("not readable as STEP");
  const TopoDS_Shape shape = close_up(reader.OneShape()).shape;
  TopExp_Explorer s(shape, TopAbs_SOLID);
  for (size_t k = 0; k < number && s.More(); ++k) s.Next();
  if (!s.More()) throw std::runtime_error("the file has no solid of that number");
  if (scale == 1.0) return wrap(s.Current());
  gp_Trsf t;
  t.SetScale(gp_Pnt(0, 0, 0), scale);
  return wrap(BRepBuilderAPI_Transform(s.Current(), t, Standard_True).Shape());
}

std::unique_ptr<Solid> as_splines(const Solid &a) { return wrap(BRepBuilderAPI_NurbsConvert(a.shape, Standard_True).Shape()); }

std::unique_ptr<Solid> without_faces(const Solid &a, P3 lo, P3 hi) {
  TopoDS_Compound kept;
  BRep_Builder builder;
  builder.MakeCompound(kept);
  for (TopExp_Explorer f(a.shape, TopAbs_FACE); f.More(); f.Next()) {
    Bnd_Box b;
    BRepBndLib::AddOptimal(f.Current(), b, Standard_False, Standard_False);
    double x0, y0, z0, x1, y1, z1;
    b.Get(x0, y0, z0, x1, y1, z1);
    if (x0 < lo[0] || y0 < lo[1] || z0 < lo[2] || x1 > hi[0] || y1 > hi[1] || z1 > hi[2]) builder.Add(kept, f.Current());
  }
  return wrap(kept);
}

std::unique_ptr<Solid> beside(const Solid &a, const Solid &b) {
  TopoDS_Compound both;
  BRep_Builder builder;
  builder.MakeCompound(both);
  for (const TopoDS_Shape &from : {a.shape, b.shape})
    for (TopExp_Explorer s(from, TopAbs_SOLID); s.More(); s.Next()) builder.Add(both, s.Current());
  return wrap(both);
}

double volume(const Solid &a) {
  GProp_GProps g;
  BRepGProp::VolumeProperties(a.shape, g);
  return g.Mass();
}

void write_step(const Solid &a, rust::Str path) {
  quiet();
  STEPControl_Writer w;
  Interface_Static::SetCVal("write.step.schema", "AP214IS");
  Interface_Static::SetCVal("write.step.product.name", "part");
  if (w.Transfer(a.shape, STEPControl_AsIs) != IFSelect_RetDone || w.Write(std::string(path.data(), path.size()).c_str()) != IFSelect_RetDone)
    throw std::runtime_error("the STEP file could not be written");
}

} // namespace goldchip
