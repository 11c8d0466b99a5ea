"""Reports: one read model of what is spent, a catalogue of questions, answers as tables and pictures, kept and sent."""
