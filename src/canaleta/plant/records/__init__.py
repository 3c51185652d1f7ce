"""What is recorded of a plant: points, equipment, findings, waivers, typicals; and its image, kept up to date."""
