"""Moon Plan: which car to plug in where, at what current, from when to when, for households with electric vehicles."""
