"""The simulated bench: one process, the world, that hosts stand-ins for instruments in front of one physical model.

It speaks the protocol that hardware speaks, over real sockets. Nothing else in Ubrant imports from here but ``bench.simulated``,
which starts the process, and ``demo``, which describes what stands on the bench.
"""
