"""What Wainwright asks of the outside: protocols and the plain values they speak in, nothing else."""
