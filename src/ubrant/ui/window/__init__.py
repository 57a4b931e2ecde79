"""The frame of the window: menus, what stands round the stages, files in and out, and the start."""
