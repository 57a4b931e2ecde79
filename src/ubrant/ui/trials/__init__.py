"""How trials look: their form, and a page each of drawings over what was measured."""
