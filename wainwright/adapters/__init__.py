"""What speaks to services outside over the network, behind the same ports as the stand-ins that ship."""
