"""The methods besides the discharge: each with its form, its plan, its steps, what it calls out to a person, and what its readings say."""
