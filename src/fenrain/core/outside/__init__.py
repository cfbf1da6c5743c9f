"""What renderers other than ours show: the kit that hands them light, camera, meshes and materials, and the pictures that come back."""
