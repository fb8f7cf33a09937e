// The torus of bench/cages.ts refined three times with all that hangs together, by a native library (package libosd-dev): topology of every level in
// full, then places. Writes the least milliseconds of some runs and the quads made.
#include <opensubdiv/far/primvarRefiner.h>
#include <opensubdiv/far/topologyDescriptor.h>
#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <vector>
using namespace OpenSubdiv;

struct Place {
  double x[3];
  void Clear(void * = nullptr) { x[0] = x[1] = x[2] = 0; }
  void AddWithWeight(const Place &p, float w) {
    for (int k = 0; k < 3; k++) x[k] += w * p.x[k];
  }
};

int main() {
  const int U = 125, W = 80, steps = 3;
  std::vector<int> sides(U * W, 4), corners;
  std::vector<Place> base;
  for (int i = 0; i < U; i++)
    for (int j = 0; j < W; j++) {
      const int n = (i + 1) % U, m = (j + 1) % W;
      for (int v : {i * W + j, n * W + j, n * W + m, i * W + m}) corners.push_back(v);
      const double a = 2 * M_PI * i / U, b = 2 * M_PI * j / W;
      base.push_back({{(60 + 20 * std::cos(b)) * std::cos(a), (60 + 20 * std::cos(b)) * std::sin(a), 20 * std::sin(b)}});
    }
  double least = 1e9;
  int quads = 0;
  for (int run = 0; run < 8; run++) {
    const auto start = std::chrono::steady_clock::now();
    Far::TopologyDescriptor d;
    d.numVertices = U * W;
    d.numFaces = U * W;
    d.numVertsPerFace = sides.data();
    d.vertIndicesPerFace = corners.data();
    using Factory = Far::TopologyRefinerFactory<Far::TopologyDescriptor>;
    Sdc::Options rules;
    rules.SetVtxBoundaryInterpolation(Sdc::Options::VTX_BOUNDARY_EDGE_ONLY);
    Far::TopologyRefiner *all = Factory::Create(d, Factory::Options(Sdc::SCHEME_CATMARK, rules));
    Far::TopologyRefiner::UniformOptions uniform(steps);
    uniform.fullTopologyInLastLevel = true;
    all->RefineUniform(uniform);
    std::vector<Place> places(all->GetNumVerticesTotal());
    std::copy(base.begin(), base.end(), places.begin());
    Place *from = places.data();
    for (int k = 1; k <= steps; k++) {
      Place *to = from + all->GetLevel(k - 1).GetNumVertices();
      Far::PrimvarRefiner(*all).Interpolate(k, from, to);
      from = to;
    }
    least = std::min(least, std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count());
    quads = all->GetLevel(steps).GetNumFaces();
    delete all;
  }
  std::printf("%.3f %d\n", least, quads);
  return 0;
}
