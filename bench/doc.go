// Package bench measures the core on models of three sizes, beside plain reads
// of the same bytes and, where node is there, beside the geometry library
// manifold-3d in the same run (peer.mjs). `make bench` runs it.
package bench
