"""What a lead, a fuse or a clip drops, at several currents."""

from ubrant.core.wording import words
from ubrant.methods.enquiries import DROPS, Answering
from ubrant.methods.registry import MethodEntry

HOW = (Answering(DROPS, (words("{resistance}: burns {burnt} at most"),), 10, takes=words("a current to set"), reads=("V", "A")),)
METHOD = MethodEntry("joint", "Drop across a joint", 62, lambda u: u.kind == "lead", "ubrant.methods.joint.method:JointMethod", answers=HOW)
