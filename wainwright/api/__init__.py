"""An API for an outside ledger: what is cleared is fetched, posted or refused is reported back; whoever wants to is told by webhook."""
