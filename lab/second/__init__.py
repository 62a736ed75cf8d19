"""The second network: material, layout, training and export. The first is in `lab` itself."""
