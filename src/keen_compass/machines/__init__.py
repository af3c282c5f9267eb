"""Machines as the shop knows them: profiles, tools, stock; what is typed into their forms."""
