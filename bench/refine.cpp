// Places after one step of Catmull and Clark on a closed quad mesh without creases, as a plain loop: what bench/cages.ts compares with.
// Reads counts and arrays from standard input, writes the least seconds of some runs and the sum of all places.
#include <chrono>
#include <cstdint>
#include <cstdio>
#include <vector>

int main() {
  uint32_t head[4];
  if (std::fread(head, 4, 4, stdin) != 4) return 1;
  const uint32_t V = head[0], E = head[1], F = head[2], runs = head[3], n = 4 * F;
  std::vector<uint32_t> corners(n), edgeHalf(E), twin(n);
  std::vector<double> points(3 * V), out(3 * (V + E + F));
  std::vector<uint32_t> valence(V);
  if (std::fread(corners.data(), 4, n, stdin) != n || std::fread(edgeHalf.data(), 4, E, stdin) != E || std::fread(twin.data(), 4, n, stdin) != n) return 1;
  if (std::fread(points.data(), 8, 3 * V, stdin) != 3 * V) return 1;
  double least = 1e9, sum = 0;
  for (uint32_t r = 0; r < runs; r++) {
    const auto start = std::chrono::steady_clock::now();
    std::fill(out.begin(), out.end(), 0.0);
    std::fill(valence.begin(), valence.end(), 0);
    double *face = out.data() + 3 * (V + E), *edge = out.data() + 3 * V;
    for (uint32_t f = 0; f < F; f++)
      for (int k = 0; k < 3; k++) {
        double s = 0;
        for (int i = 0; i < 4; i++) s += points[3 * corners[4 * f + i] + k];
        face[3 * f + k] = 0.25 * s;
      }
    for (uint32_t e = 0; e < E; e++) {
      const uint32_t h = edgeHalf[e], a = corners[h], b = corners[(h & ~3u) | ((h + 1) & 3u)];
      for (int k = 0; k < 3; k++) edge[3 * e + k] = 0.25 * (points[3 * a + k] + points[3 * b + k] + face[3 * (h / 4) + k] + face[3 * (twin[h] / 4) + k]);
    }
    for (uint32_t h = 0; h < n; h++) {
      const uint32_t v = corners[h], w = corners[(h & ~3u) | ((h + 1) & 3u)];
      valence[v]++;
      for (int k = 0; k < 3; k++) out[3 * v + k] += points[3 * w + k] + face[3 * (h / 4) + k];
    }
    for (uint32_t v = 0; v < V; v++) {
      const double N = valence[v];
      for (int k = 0; k < 3; k++) out[3 * v + k] = (N - 2) / N * points[3 * v + k] + out[3 * v + k] / (N * N);
    }
    const double t = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    if (t < least) least = t;
    sum = 0;
    for (double x : out) sum += x;
  }
  std::printf("%.9f %.12g\n", least, sum);
  return 0;
}
