"""What a lead, a fuse or a clip drops, at several currents."""

from ubrant.methods.registry import MethodEntry

METHOD = MethodEntry("joint", "Drop across a joint", 62, lambda unit: unit.kind == "lead", "ubrant.methods.joint.method:JointMethod")
