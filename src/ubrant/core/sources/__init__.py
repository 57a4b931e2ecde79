"""Sources that are weak or odd: V against I, capacitors, what balances at a node, ways to feed a load. Sums only."""
