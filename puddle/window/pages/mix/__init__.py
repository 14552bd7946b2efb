"""Where sound flows, how loud, and where it stands."""
