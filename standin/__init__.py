"""The stand-in renderer: truly computes the passes of a small scene, so the rest has real files to work on."""
