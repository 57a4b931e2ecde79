"""Everything that is read of a bench held against everything else: a graph, its laws, a fit, and what is bounded where nothing determines it."""
