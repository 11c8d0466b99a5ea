"""Acts on trips: ``plan`` changes what is planned, ``ways`` holds what is booked, ``road`` moves the trip along."""
